"""What the chain does for the steps of every family: studies, blending, the record, frames by the reel's numbers."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from grevin.core.cache import ByteCache
from grevin.core.errors import CancelledError, SettingsError
from grevin.core.job.document import Job
from grevin.core.job.job_file import JobFile, export_job, import_job
from grevin.core.media.opening import open_reel
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.ledger import verdicts_from_ledger
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.render.verify import verify
from grevin.core.steps.registry import REGISTRY
from grevin.core.treatment import window as window_module
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.over_time import OverTime
from grevin.core.treatment.plan import Plan, TreatedReel, TreatedSource
from grevin.core.treatment.recipe import Treatment, TreatmentStep, treatment_from_recipe
from grevin.core.treatment.regions import Region
from grevin.core.treatment.verdicts import Verdict, Verdicts
from tests.conftest import moving_frames, write_video
from tests.core.film_time import in_order, same
from tests.core.made_steps import Corner, Level, Narrow, Sparse


@pytest.fixture
def level(monkeypatch: pytest.MonkeyPatch) -> Level:
    step = Level()
    for one in (step, Corner(), Sparse(), Narrow()):
        monkeypatch.setitem(REGISTRY.steps, one.id, one)
    return step


def two_shots(count: int = 6) -> MemorySource:
    """Two shots that look nothing like each other, flickering."""
    rng = np.random.default_rng(1)
    clean = moving_frames(2 * count)
    frames = []
    for number in range(2 * count):
        frame = clean.frame(number)
        luma = frame.planes[0].astype(np.int16)
        luma = luma if number < count else 235 - luma[::-1, ::-1] // 2
        planes = (np.clip(luma + rng.integers(-6, 7), 16, 235).astype(np.uint8), *frame.planes[1:])
        frames.append(Frame(number, frame.format, planes))
    return MemorySource(frames, "shots")


def path(*names: str, **regions: tuple[Region, ...]) -> Treatment:
    return Treatment(steps=tuple(TreatmentStep.make(name, regions=regions.get(name, ())) for name in names))


# studies of shots


def test_a_shot_is_learned_once_and_only_where_it_is_wanted(level: Level) -> None:
    source = two_shots()
    chain = Chain(source, path("made_level"), cuts={0, 6})
    assert not chain.is_studied(1, 8)
    wanted = np.mean([source.frame(n).luma8().mean() for n in range(6, 12)])
    brought = [chain.result.frame(n).rounded().planes[0].mean() for n in (7, 8, 11)]
    assert level.learned == [range(6, 12)]
    assert chain.is_studied(1, 6)
    assert not chain.is_studied(1, 5)
    for number, mean in zip((7, 8, 11), brought, strict=True):
        half_way = (source.frame(number).planes[0].mean() + wanted) / 2
        assert mean == pytest.approx(half_way, abs=0.6)


def test_what_was_learned_is_kept_and_says_what_it_depends_on(level: Level) -> None:
    class Kept(dict):
        study = dict.get
        keep_study = dict.__setitem__

    source, kept = two_shots(), Kept()
    Chain(source, path("made_level"), cuts={0, 6}, studies=kept).prepare(Progress(), range(3, 8))
    assert level.learned == [range(6), range(6, 12)]
    Chain(source, path("made_level"), cuts={0, 6}, studies=kept).result.frame(2)
    assert len(level.learned) == 2, "another chain over the same frames takes what was kept"
    other = Treatment(steps=(TreatmentStep.make("made_level", {"gain": 1.0}),))
    Chain(source, other, cuts={0, 6}, studies=kept).result.frame(2)
    Chain(source, path("made_level"), cuts={0, 4, 6}, studies=kept).result.frame(2)
    Chain(source, path("made_corner", "made_level"), cuts={0, 6}, studies=kept).result.frame(2)
    assert level.learned[2:] == [range(6), range(4), range(6)]


def test_learning_is_cancelled_and_leaves_nothing(level: Level) -> None:
    chain, progress = Chain(two_shots(), path("made_level")), Progress()
    progress.cancel()
    with pytest.raises(CancelledError):
        chain.prepare(progress, [2])
    assert not chain.is_studied(1, 2)


def test_behind_a_change_of_time_a_shot_is_what_is_left_of_it(level: Level) -> None:
    chain = Chain(two_shots(), path("made_sparse", "made_level"), cuts={0, 6})
    chain.result.frame(5)
    assert level.learned == [range(4, 8)]
    assert chain.known_view_point(2, 7) == 2
    assert chain.known_view_point(2, 0) == 1


# the record of whole steps


def test_what_is_done_to_whole_pictures_is_proved_and_on_the_ledger(level: Level, tmp_path: Path) -> None:
    source = two_shots()
    reel = open_reel(write_video(tmp_path / "in.mkv", [source.frame(n) for n in range(12)]))
    inside = Region(use="only", x=16, y=16, width=64, height=48)
    plan = Plan(Plan.whole(path("made_level", made_level=(inside,))).parts, frozenset({0, 6}))
    out, evidence, ledger = tmp_path / "out.mkv", tmp_path / "evidence", tmp_path / "ledger.json"
    proof = run(reel, plan, RunRequest(out, range(12), evidence, ledger), Progress())
    assert (proof.reshaped, proof.mended, proof.mends) == (12, 0, 0)
    chain = Chain(reel, path("made_level"), cuts={0, 6})
    levels = [(chain.result.frame(n).planes[0] - chain.source.frame(n).planes[0].astype(np.float32)) for n in range(12)]
    share = 64 * 48 / (160 * 120)
    rms = float(np.sqrt(np.mean([np.square(apart).mean() * share for apart in levels])))
    assert proof.whole_levels == {"Level": pytest.approx(rms, rel=0.02)}
    assert f"12 were changed as a whole by Level ({rms:.1f} levels rms)" in proof.sentence()
    assert [(one["frame"], one["frames"], one["step"]) for one in proof.data()["by_shot"]] == [
        (0, 6, "made_level"), (6, 6, "made_level"),
    ]  # fmt: skip
    loud = [np.sqrt(np.mean([np.square(apart).mean() * share for apart in some])) for some in (levels[:6], levels[6:])]
    assert [one["levels"] for one in proof.data()["by_shot"]] == pytest.approx(loud, rel=0.02)
    assert f"from frame {6 * int(np.argmax(loud))} on: {max(loud):.1f} levels rms" in " ".join(proof.notes)
    rows = json.loads(ledger.read_text())["rows"]
    assert [(row["frame"], row["frames"], row["width"], row["verdict"]) for row in rows] == [
        (0, 6, 64, "undecided"), (6, 6, 64, "undecided"),
    ]  # fmt: skip
    assert len(verdicts_from_ledger(ledger)) == 0
    with closing(open_reel(out)) as made:
        assert verify(reel, made, range(12), evidence, Progress()).passed
        assert not verify(reel, made, range(12), None, Progress()).passed


def test_the_record_names_the_place_in_the_treatment(level: Level, tmp_path: Path) -> None:
    reel = open_reel(write_video(tmp_path / "in.mkv", [two_shots().frame(n) for n in range(3)]))
    steps = (TreatmentStep.make("repeats", enabled=False), TreatmentStep.make("made_corner"))
    evidence, ledger = tmp_path / "evidence", tmp_path / "ledger.json"
    request = RunRequest(tmp_path / "out.mkv", range(3), evidence, ledger)
    with closing(reel):
        run(reel, Plan.whole(Treatment(steps=steps)), request, Progress())
    assert {row["place"] for row in json.loads(ledger.read_text())["rows"]} == {2}
    assert [folder.name for folder in evidence.iterdir()] == ["02-made_corner"]


def test_a_whole_step_that_does_nothing_leaves_the_frame_itself(level: Level) -> None:
    frame = moving_frames(1).frame(0)
    still = MemorySource([frame] * 4, "still")
    chain = Chain(still, path("made_level"))
    for number in range(4):
        assert chain.result.frame(number) is chain.source.frame(number)
        assert [acted.whole_levels for _, _, acted in chain.account(number)] == [None]


def test_a_step_sees_what_an_earlier_one_did(level: Level) -> None:
    source = two_shots()
    chain = Chain(source, path("made_level", "made_sparse", "made_corner"), cuts={0, 6})
    window = chain.steps[2].window(3)
    assert window.around("made_corner") is None, "a step is no earlier one of itself"
    pair = window.around("made_level")
    assert pair is not None
    number = int(chain.timeline.sources[3])
    assert pair[0] is chain.source.frame(number)
    assert pair[1] is chain.steps[0].frame(number)
    assert window.at(1).around("made_level")[0].number == int(chain.timeline.sources[4])


def test_motion_is_estimated_once_for_a_path_of_every_family(level: Level, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[tuple[int, int]] = []
    real = window_module.estimate_flow
    monkeypatch.setattr(
        window_module, "estimate_flow", lambda *pair: asked.append((id(pair[0]), id(pair[1]))) or real(*pair)
    )
    zoom = TreatmentStep.make("reframe", {"keys": [{"frame": 0, "zoom": 1.2}]})
    steps = (TreatmentStep.make("dirt"), TreatmentStep.make("made_level"), zoom, TreatmentStep.make("made_corner"))
    chain = Chain(moving_frames(8), Treatment(steps=steps))
    for number in range(8):
        chain.result.frame(number)
    assert len(asked) == len(set(asked)), "no pair of pictures twice"
    assert len(asked) == 2 * 7 + 2, "each frame to the next and to the one before; at both ends to the second, too"


# frames that settings name are the reel's own


def test_frames_to_make_anew_stay_when_time_before_them_changes() -> None:
    source = in_order([0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 5, 5, 6, 6, 7, 7])
    anew = TreatmentStep.make("rebuild", {"frames": [8], "put_in_after": [10], "put_in": 1})
    for before in ((), (TreatmentStep.make("repeats"),)):
        chain = Chain(source, Treatment(steps=(*before, anew)))
        timeline = chain.timeline
        made = timeline.sources[timeline.made].tolist()
        assert made == [8, 10], "one made in its place, one put in behind the other"


def test_tie_lines_and_borders_move_with_the_frames_they_were_drawn_on() -> None:
    source = in_order([n // 2 for n in range(24)])
    tie = {"keys": [{"frame": 6, "line": (10, 10, 60, 60)}, {"frame": 10, "line": (30, 10, 80, 60)}]}
    rebuild = TreatmentStep.make("rebuild", {"frames": [8], "ties": [tie]})
    pick = TreatmentStep.make("pick", {"begins": [7], "joins": [8, 9]})
    chain = Chain(source, Treatment(steps=(TreatmentStep.make("repeats"), rebuild, pick)))
    seen = chain.steps[1]._for_the_step  # type: ignore[attr-defined]
    assert [key.frame for key in seen.ties[0].keys] == [3, 5]
    assert seen.frames == (4,)
    borders = chain.steps[2]._for_the_step  # type: ignore[attr-defined]
    assert (borders.begins, borders.joins) == ((), (4,)), "frame 7 was left out: nothing begins there any more"


def test_a_frame_that_the_reel_does_not_have_is_refused_behind_a_change_of_time_too() -> None:
    steps = (TreatmentStep.make("repeats"), TreatmentStep.make("rebuild", {"frames": [99]}))
    with pytest.raises(SettingsError, match="There is no frame"):
        Chain(in_order([0, 0, 1, 1, 2, 2, 3, 3]), Treatment(steps=steps)).prepare(Progress())


OLD = [{"step": "repeats", "settings": {}}, {"step": "rebuild", "settings": {"frames": [4]}}]


def test_recipes_and_jobs_of_before_name_frames_before_the_step(tmp_path: Path) -> None:
    old = treatment_from_recipe({"format": "grevin-recipe", "version": 1, "steps": OLD}, "r")
    new = treatment_from_recipe({"format": "grevin-recipe", "version": 2, "steps": OLD}, "r")
    assert [step.counted for step in old.steps] == ["reel", "before"]
    assert [step.counted for step in new.steps] == ["reel", "reel"]
    assert treatment_from_recipe(old.recipe(), "r") == old
    source = in_order([n // 2 for n in range(24)])
    assert [Chain(source, t).timeline.sources[Chain(source, t).timeline.made].tolist() for t in (old, new)] == [
        [8],
        [4],
    ]
    file = tmp_path / "old.grevin"
    JobFile.create(file, Job().with_added([Path("a.mkv")])).close()
    with closing(sqlite3.connect(file)) as database, database:
        document = json.loads(database.execute("SELECT document FROM acts").fetchone()[0])
        document["version"] = 5
        document["reels"][0]["treatment"] = {"steps": OLD}
        document["reels"][0]["shots"] = [{"first": 0}, {"first": 9, "treatment": {"steps": OLD[1:]}}]
        database.execute("UPDATE acts SET document = ?", (json.dumps(document),))
        database.execute("ALTER TABLE ledger DROP COLUMN frames")
        database.execute("PRAGMA user_version = 5")
    with closing(JobFile.open(file)) as job:
        reel = job.document.reels[0]
        assert [step.counted for step in reel.treatment.steps] == ["reel", "before"]
        assert reel.shots[1].treatment is not None
        assert [step.counted for step in reel.shots[1].treatment.steps] == ["reel"]
        assert job._database.execute("SELECT frames FROM ledger").fetchall() == []


# every path gives the same bits, however it is pulled

TIGHT_BYTES = 1 << 20  # a tenth of what these paths would like to keep
REGION = Region(use="protect", x=30, y=0, width=40, height=120, feather_px=3)
STEPS = st.lists(
    st.sampled_from(["made_corner", "made_level", "made_sparse", "made_narrow", "dirt", "repeats", "reframe"]),
    min_size=1, max_size=4,
).filter(lambda names: names.count("dirt") < 2)  # fmt: skip


@st.composite
def mixed_paths(draw: Any) -> tuple[Treatment, Verdicts, list[int]]:
    def of(name: str) -> TreatmentStep:
        values = {"reframe": {"keys": [{"frame": 2, "zoom": 1.0}, {"frame": 9, "zoom": 1.3}]}}.get(name, {})
        has_region = name not in {"made_sparse", "repeats"} and draw(st.booleans())
        return TreatmentStep.make(name, values, regions=(REGION,) if has_region else ())

    words = [Verdict("made_corner", frame, (0, 8, 150, 20), "leave") for frame in draw(st.sets(st.integers(0, 11)))]
    cuts = draw(st.sets(st.integers(1, 11), max_size=2))
    return Treatment(steps=tuple(of(name) for name in draw(STEPS))), Verdicts(words), sorted({0, *cuts})


@settings(
    max_examples=12, deadline=None, derandomize=True,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)  # fmt: skip
@given(drawn=mixed_paths())
def test_the_bits_of_any_path_do_not_depend_on_how_it_is_pulled(
    drawn: tuple[Treatment, Verdicts, list[int]], level: Level, tmp_path: Path
) -> None:
    treatment, words, cuts = drawn
    file = tmp_path / "in.mkv"
    if not file.exists():
        write_video(file, [two_shots().frame(n) for n in range(12)])
    reel = open_reel(file)
    plan = Plan(Plan.whole(treatment).parts, frozenset(cuts))
    proof = run(reel, plan, RunRequest(tmp_path / "out.mkv", range(12), overwrite=True, verdicts=words), Progress())
    looked_at = TreatedReel(reel, plan, ByteCache(64 << 20), verdicts=words)
    starved = TreatedReel(reel, plan, ByteCache(TIGHT_BYTES), verdicts=words)
    with closing(open_reel(tmp_path / "out.mkv")) as written:
        assert len(written) == proof.frames
        backwards = reversed(range(len(written)))
        for number in backwards:
            made = written.frame(number)
            for treated in (looked_at, starved):
                source = TreatedSource(treated)
                frame = source.frame(number)
                assert same(replace(frame, format=made.format), made), [step.step for step in treatment.steps]


def test_all_that_is_said_survives_saving_trimming_recipes_and_time_steps(level: Level, tmp_path: Path) -> None:
    shapes = (
        Region(use="protect", shape="ellipse", x=10, y=10, width=60, height=40, feather_px=4, follow=True, first=2),
        Region.model_validate({"use": "only", "shape": "polygon", "rounding_px": 3,
            "points": [[0, 0], [150, 0], [150, 110], [0, 110]], "keys": [
            {"frame": 1, "points": [[0, 0], [150, 0], [150, 110], [0, 110]]},
            {"frame": 9, "points": [[20, 5], [140, 5], [140, 100], [5, 90]]}]}),
    )  # fmt: skip
    gain = OverTime.model_validate({"setting": "gain", "keys": [{"frame": 2, "value": 0.1}, {"frame": 10, "value": 2}]})
    zoom = {"keys": [{"frame": 2, "zoom": 1.0}, {"frame": 10, "zoom": 1.5}], "ease": "both"}
    treatment = Treatment(steps=(
        TreatmentStep.make("made_sparse"), TreatmentStep.make("made_level", regions=shapes, over_time=(gain,)),
        TreatmentStep.make("made_corner", regions=shapes), TreatmentStep.make("reframe", zoom),
        TreatmentStep.make("sidefill"),
    ))  # fmt: skip
    file, job = write_video(tmp_path / "in.mkv", [two_shots().frame(n) for n in range(12)]), tmp_path / "a.grevin"
    document = Job().with_added([file]).with_treatment(0, treatment)
    trimmed = document.with_reel(0, declared=document.reels[0].declared.model_copy(update={"head": 1, "tail": 2}))
    JobFile.create(job, trimmed).close()
    import_job(json.loads(json.dumps(export_job(job))), tmp_path / "b.grevin")
    outputs = []
    for told in (job, tmp_path / "b.grevin"):
        with closing(JobFile.open(told)) as opened:
            held = opened.document.reels[0].treatment
            assert held.model_dump_json() == treatment.model_dump_json()
        for place, one in enumerate((held, treatment_from_recipe(json.loads(json.dumps(held.recipe())), "r"))):
            out = tmp_path / f"{told.stem}{place}.mkv"
            with closing(open_reel(file)) as reel:
                outputs.append(run(reel, Plan.whole(one), RunRequest(out, range(1, 10)), Progress()).checksums)
    assert len({tuple(checksums) for checksums in outputs}) == 1
    with closing(open_reel(file)) as reel:
        whole = run(reel, Plan.whole(treatment), RunRequest(tmp_path / "w.mkv", range(12)), Progress()).checksums
    assert whole[1:][: len(outputs[0])] == outputs[0], "trimmed, every frame is treated as it was"
