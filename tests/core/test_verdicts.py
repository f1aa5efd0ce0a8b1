"""A person's word on places and regions goes before what a step thinks, everywhere the same."""

from __future__ import annotations

import csv
import io
import json
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from grevin.core.errors import UsageError
from grevin.core.job.document import Job, Reel
from grevin.core.job.job_file import JobFile, export_job, import_job
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.quality.damage.base import damaged
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.ledger import ledger_rows, verdicts_from_ledger
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.doubtful import doubtful_blobs, next_doubtful
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep, treatment_from_recipe
from grevin.core.treatment.regions import Region
from grevin.core.treatment.verdicts import Verdict, Verdicts, same_place
from tests.conftest import moving_frames

DAMAGE = DirtDamage(seed=11, blobs_per_frame=70, hair_share=0.0, largest_px=12, faint_share=0.0)
FRAME = 4


@pytest.fixture(scope="module")
def source() -> MemorySource:
    dirty = damaged(moving_frames(9, 220, 160), DAMAGE)
    return MemorySource([dirty.frame(n) for n in range(len(dirty))], "verdicts")


def chain_of(source: MemorySource, verdicts: Verdicts | None = None, regions: tuple[Region, ...] = ()) -> Chain:
    step = TreatmentStep.make("dirt", regions=regions)
    return Chain(source, Treatment(steps=(step,)), verdicts=verdicts)


def test_what_is_left_alone_is_the_source_and_the_rest_is_as_before(source: MemorySource) -> None:
    plain = chain_of(source)
    before = plain.evidence_at(1, FRAME)
    assert before is not None
    blob = max(before.blobs, key=lambda b: b.pixels)
    chain = chain_of(source, Verdicts([Verdict("dirt", FRAME, blob.area, "leave")]))
    after = chain.evidence_at(1, FRAME)
    assert after is not None
    assert len(after.blobs) == len(before.blobs) - 1
    assert [left.area for left in after.left] == [blob.area]
    x, y, width, height = blob.area
    assert not after.mask[y : y + height, x : x + width].any()
    gone = before.mask & ~after.mask
    assert gone.any()
    assert not (after.mask & ~before.mask).any()
    kept, changed = chain.result.frame(FRAME).planes[0], plain.result.frame(FRAME).planes[0]
    np.testing.assert_array_equal(kept[gone], source.frame(FRAME).planes[0][gone])
    differing = np.abs(kept[~gone].astype(int) - changed[~gone])
    assert differing.max() <= 2, "a speck next to it is matched to a ring that now holds the one that was left"
    assert np.count_nonzero(differing) < 20
    np.testing.assert_array_equal(chain.result.frame(FRAME + 1).planes[0], plain.result.frame(FRAME + 1).planes[0])
    assert {row.verdict for row in ledger_rows(FRAME, chain.account(FRAME))} == {"mend", "leave"}


def test_what_was_missed_is_mended_on_a_persons_word(source: MemorySource) -> None:
    before = chain_of(source).evidence_at(1, FRAME)
    assert before is not None
    clear = next(
        (x, y, 9, 9)
        for y in range(20, 130, 10)
        for x in range(20, 190, 10)
        if not before.mask[y - 8 : y + 17, x - 8 : x + 17].any()
    )
    chain = chain_of(source, Verdicts([Verdict("dirt", FRAME, clear, "mend")]))
    after = chain.evidence_at(1, FRAME)
    assert after is not None
    x, y, width, height = clear
    assert after.mask[y + 4, x + 4]
    assert [b.by_hand for b in after.blobs].count(True) == 1
    far = np.ones_like(after.mask)
    far[y - 12 : y + height + 12, x - 12 : x + width + 12] = False
    np.testing.assert_array_equal(after.mask[far], before.mask[far])
    assert chain.explain(1, FRAME, clear).startswith("filled from frame ")
    back = Verdicts([Verdict("dirt", FRAME, clear, "mend"), Verdict("dirt", FRAME, clear, "undecided")])
    assert len(back) == 0
    assert back.key("dirt") == ""


def test_a_chosen_source_is_kept_with_the_job_and_its_export(tmp_path: Path) -> None:
    said = Verdict("dropout", 3, (10, 20, 30, 1), "mend", "after")
    with closing(JobFile.create(tmp_path / "a.grevin", Job(reels=(Reel(id=1, path="tape.mkv"),)))) as job:
        job.act("Choose", job.document, 1, (said,))
        assert job.verdicts(1) == [said]
    import_job(export_job(tmp_path / "a.grevin"), tmp_path / "b.grevin")
    with closing(JobFile.open(tmp_path / "b.grevin")) as job:
        assert job.verdicts(1) == [said]
    one, other = (Verdicts([Verdict("dropout", 3, (10, 20, 30, 1), "mend", name)]) for name in ("after", "before"))
    assert len({one.key("dropout"), other.key("dropout"), Verdicts().key("dropout")}) == 3
    with pytest.raises(ValueError, match="not mended"):
        Verdict("dropout", 3, (10, 20, 30, 1), "leave", "after")


def test_a_ledger_carries_chosen_sources_and_refuses_unknown_ones(tmp_path: Path) -> None:
    head, row = "step,frame,x,y,width,height,verdict,source", "dropout,3,10,20,30,1,mend"
    path = tmp_path / "looked-through.csv"
    path.write_text(f"{head}\n{row},after\n")
    assert [one.source for one in verdicts_from_ledger(path)] == ["after"]
    path.write_text(f"{head}\n{row},yesterday\n")
    with pytest.raises(UsageError, match="“yesterday” is no source of dropout") as fault:
        verdicts_from_ledger(path)
    assert "before, after, both, lines" in str(fault.value)
    path.write_text(f"{head}\n{row.replace('dropout', 'dirt')},after\n")
    with pytest.raises(UsageError, match="it takes nothing"):
        verdicts_from_ledger(path)


def test_specks_that_share_a_piece_are_parted(source: MemorySource) -> None:
    from grevin.core.steps.evidence import Blob, Evidence
    from grevin.core.treatment.verdicts import apply_verdicts

    mask = np.zeros((40, 60), np.bool_)
    mask[10:20, 10:40] = True
    one, other = Blob((12, 12, 8, 6), 40, -30.0, 0.9), Blob((28, 12, 8, 6), 40, -30.0, 0.9)
    found = Evidence(mask, mask.astype(np.float32), (one, other))
    after = apply_verdicts(found, (Verdict("dirt", 0, one.area, "leave"),), lambda area: found)
    assert after.blobs == (other,)
    assert not after.mask[12:18, 12:20].any()
    assert after.mask[12:18, 28:36].all()
    assert after.weight is not None
    assert not after.weight[~after.mask].any()


@pytest.mark.parametrize("shape", ["rectangle", "ellipse"])
def test_regions_say_where_a_step_may_act(source: MemorySource, shape) -> None:
    plain = chain_of(source).evidence_at(1, FRAME)
    assert plain is not None
    left = Region(use="protect", shape=shape, x=-10, y=-10, width=130, height=200)
    inside = left.mask(plain.mask.shape)
    assert (plain.mask & inside).any()
    assert (plain.mask & ~inside).any()
    protected = chain_of(source, regions=(left,)).evidence_at(1, FRAME)
    only = chain_of(source, regions=(left.model_copy(update={"use": "only"}),)).evidence_at(1, FRAME)
    assert protected is not None
    assert only is not None
    shrunk = inside.copy()
    shrunk[:, 1:] &= inside[:, :-1]  # masks are grown to whole chroma blocks: a sample more at the edge
    shrunk[1:] &= inside[:-1]
    assert not (protected.mask & shrunk).any()
    assert (protected.mask | only.mask)[plain.mask].all()
    assert len(protected.blobs) < len(plain.blobs)
    other_frame = Region(use="protect", x=0, y=0, width=220, height=160, first=FRAME + 1, last=FRAME + 2)
    assert other_frame.words == f"Leave alone: 220 x 160 px at 0, 0, frames {FRAME + 1} to {FRAME + 2}"
    chain = chain_of(source, regions=(other_frame,))
    for number, acts in ((FRAME, True), (FRAME + 1, False)):
        evidence = chain.evidence_at(1, number)
        assert evidence is not None
        assert evidence.mask.any() == acts


def test_regions_travel_in_recipes() -> None:
    step = TreatmentStep.make("dirt", regions=(Region(use="only", x=1, y=2, width=3, height=4, last=7),))
    data = json.loads(json.dumps(Treatment(steps=(step,)).recipe()))
    assert treatment_from_recipe(data, "x").steps[0].regions == step.regions
    data["steps"][0]["regions"][0]["use"] = "eat"
    with pytest.raises(Exception, match="Step 1 of x is not written as one"):
        treatment_from_recipe(data, "x")


def test_the_doubtful_are_gone_through_in_order() -> None:
    faint = replace(DAMAGE, faint_share=1.0, soft_share=0.7)
    dirty = damaged(moving_frames(9, 220, 160, speed=9.0), GrainDamage(sigma=4.0), faint)
    source = MemorySource([dirty.frame(n) for n in range(9)], "faint")
    chain = chain_of(source)
    expected = [(n, b.area) for n in range(9) for b in doubtful_blobs(chain.evidence_at(1, n))]
    assert len(expected) >= 3, "the material has to have some"
    for direction, wanted in ((1, expected), (-1, expected[::-1])):
        at, seen = (0 if direction > 0 else 8, None), []
        while (found := next_doubtful(chain, 1, at, direction, range(9), Progress())) is not None:
            seen.append((found[0], found[1].area))
            at = found
        first = [place for place in wanted if direction > 0 or place[0] < 8]
        assert seen == first
    word = Verdicts([Verdict("dirt", *expected[0], "mend")])
    decided = chain_of(source, word).evidence_at(1, expected[0][0])
    assert all(blob.area != expected[0][1] for blob in doubtful_blobs(decided))


def test_later_words_go_before_earlier_ones_and_only_near_places_are_the_same() -> None:
    words = Verdicts([Verdict("dirt", 3, (10, 10, 8, 8), "leave"), Verdict("dirt", 3, (11, 9, 8, 8), "mend")])
    assert words.word_on("dirt", 3, (10, 10, 8, 8)) == "mend"
    assert words.word_on("dirt", 4, (10, 10, 8, 8)) == "undecided"
    assert words.word_on("scratch", 3, (10, 10, 8, 8)) == "undecided"
    assert len(words) == 1
    assert not same_place((0, 0, 5, 5), (20, 0, 5, 5))
    assert same_place((0, 0, 50, 50), (20, 20, 5, 5))


def test_a_looked_through_ledger_is_honoured(tmp_path: Path, dirty_reel: Path) -> None:
    treatment = Treatment(steps=(TreatmentStep.make("dirt"),))
    first = tmp_path / "first.csv"
    proof = run(
        open_reel(dirty_reel),
        Plan.whole(treatment),
        RunRequest(tmp_path / "a.mkv", range(12), ledger=first),
        Progress(),
    )
    rows = list(csv.DictReader(io.StringIO(first.read_text())))
    assert proof.mends == len(rows) > 4
    rows[1]["verdict"] = rows[2]["verdict"] = "leave"
    looked = tmp_path / "looked.csv"
    with looked.open("w", newline="") as stream:
        writer = csv.DictWriter(stream, rows[0].keys())
        writer.writeheader()
        writer.writerows(rows)
    for ledger in (looked, looked.with_suffix(".json")):
        if ledger.suffix == ".json":
            ledger.write_text(json.dumps({"format": "grevin-ledger", "version": 1, "rows": rows}))
        words = verdicts_from_ledger(ledger)
        second = tmp_path / f"{ledger.suffix[1:]}-second.json"
        request = RunRequest(tmp_path / f"{ledger.suffix[1:]}.mkv", range(12), ledger=second, verdicts=words)
        again = run(open_reel(dirty_reel), Plan.whole(treatment), request, Progress())
        written = json.loads(second.read_text())["rows"]
        assert again.mends == proof.mends - 2
        assert sum(row["verdict"] == "leave" for row in written) == 2


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("a.csv", "frame,step\n1,dirt\n", "Row 1 of a.csv"),
        ("a.csv", "frame,step,x,y,width,height,verdict\n1,dirt,1,1,0,4,leave\n", "no place"),
        ("a.json", '{"rows": [{"frame": 1, "step": "d", "x": 1, "y": 2, "width": 3, "height": 4}]}', "no 'verdict'"),
        ("a.json", "[", "is not a ledger"), ("a.json", "{}", "is not a ledger"), ("a.json", '{"rows": 4}', "ledger"),
        ("a.txt", "", "no name for a ledger"), ("gone.csv", None, "cannot be read"),
    ],
)  # fmt: skip
def test_what_is_no_ledger_is_said(tmp_path: Path, name: str, text: str | None, words: str) -> None:
    path = tmp_path / name
    if text is not None:
        path.write_text(text)
    with pytest.raises(UsageError, match=words):
        verdicts_from_ledger(path)


def test_verdicts_are_acts_of_the_job(tmp_path: Path) -> None:
    document = Job(reels=(Reel(id=0, path="a"), Reel(id=1, path="b")))
    one, other = Verdict("dirt", 3, (1, 2, 3, 4), "leave"), Verdict("dirt", 5, (1, 2, 3, 4), "mend")
    path = tmp_path / "job.grevin"
    with closing(JobFile.create(path, document)) as job:
        job.act("Leave", document, 1, [one])
        job.act("Mend", document, 1, [other])
        assert job.verdicts(1) == [one, other]
        assert job.verdicts(0) == []
        job.undo()
        assert job.verdicts(1) == [one]
        job.redo()
        assert job.verdicts(1) == [one, other]
        job.undo()
        job.act("Another", document)
        assert job.verdicts(1) == [one], "what was undone is gone for good"
        assert job.redo_label() is None
    data = json.loads(json.dumps(export_job(path)))
    import_job(data, tmp_path / "copy.grevin")
    with closing(JobFile.open(tmp_path / "copy.grevin")) as copy:
        assert copy.verdicts(1) == [one]
    data["verdicts"]["1"][0]["word"] = "eat"
    with pytest.raises(Exception, match="job data is wrong"):
        import_job(data, tmp_path / "wrong.grevin")
