"""Shots with treatments of their own through to the output; marks through files and back; findings by the many."""

from __future__ import annotations

import contextlib
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import opentimelineio as otio
import pydantic
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from grevin.core.errors import UsageError
from grevin.core.job.document import Job, Reel
from grevin.core.job.findings import Finding, Wanted
from grevin.core.job.job_file import JobFile, export_job, import_job
from grevin.core.job.marks import Mark, merged, with_mark
from grevin.core.job.marks_files import MarkedReel, read_marks, write_marks
from grevin.core.job.shots import (
    Shot,
    changed,
    copied,
    frames_of,
    joined_before,
    plan_of,
    shot_index,
    shots_from_cuts,
    split_at,
)
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.survey.findings import SurveyFinding
from grevin.core.timebase.counters import Counter
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan, TreatedReel, TreatedSource
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.verdicts import Verdict, Verdicts

DIRT = Treatment(steps=(TreatmentStep.make("dirt"),))
NOTHING = Treatment()


def test_shots_are_split_joined_named_and_copied_to() -> None:
    shots = shots_from_cuts([30, 12])
    assert [shot.first for shot in shots] == [0, 12, 30]
    assert [shot_index(shots, frame) for frame in (0, 11, 12, 29, 30, 99)] == [0, 0, 1, 1, 2, 2]
    assert frames_of(shots, 2, 50) == range(30, 50)
    shots = changed(shots, 1, name="the tram", treatment=DIRT)
    split = split_at(shots, 20)
    assert [(shot.first, shot.name, shot.treatment) for shot in split][1:3] == [(12, "the tram", DIRT), (20, "", DIRT)]
    assert split_at(split, 20) == split, "a shot begins there already"
    assert joined_before(split, 2) == shots
    assert joined_before(split, 0) == split
    assert [shot.treatment for shot in copied(shots, DIRT, [0, 2])] == [DIRT, DIRT, DIRT]


def test_a_plan_joins_neighbours_under_one_treatment() -> None:
    shots = (Shot(first=0), Shot(first=4), Shot(first=8, treatment=DIRT), Shot(first=12, treatment=NOTHING))
    plan = plan_of(NOTHING, shots)
    assert [part.first for part in plan.parts] == [0, 8, 12]
    assert plan.cuts == {4, 8, 12}
    assert [plan.treatment_at(frame) for frame in (0, 7, 8, 11, 12, 40)] == [
        NOTHING,
        NOTHING,
        DIRT,
        DIRT,
        NOTHING,
        NOTHING,
    ]
    assert plan_of(DIRT, ()) == Plan.whole(DIRT)


def test_each_shot_is_written_as_treated(tmp_path: Path, dirty_reel: Path) -> None:
    """The frames of a treated shot are those of a treated reel with that cut; the others are the source's."""
    reel = open_reel(dirty_reel)
    shots = (Shot(first=0), Shot(first=6, treatment=DIRT))
    request = RunRequest(tmp_path / "out.mkv", range(12), evidence=tmp_path / "evidence", ledger=tmp_path / "l.csv")
    proof = run(reel, plan_of(NOTHING, shots), request, Progress())
    assert proof.untouched >= 6
    written = open_reel(tmp_path / "out.mkv")
    for number in range(6):
        for ours, theirs in zip(written.frame(number).planes, reel.frame(number).planes, strict=True):
            np.testing.assert_array_equal(ours, theirs)
    treated = Chain(reel, DIRT, cuts=[6])
    assert proof.mended == sum(treated.evidence_at(1, number).mask.any() for number in range(6, 12))
    for number in range(6, 12):
        np.testing.assert_array_equal(written.frame(number).planes[0], treated.result.frame(number).planes[0])
    assert sorted(path.stem for path in (tmp_path / "evidence" / "01-dirt").iterdir()) == [
        f"{n:06}" for n in range(6, 12)
    ]


def test_a_cut_by_hand_is_not_reached_over(dirty_reel: Path) -> None:
    reel = open_reel(dirty_reel)
    asked: list[int] = []

    class Noting(MemorySource):
        def frame(self, number: int):
            asked.append(number)
            return super().frame(number)

    source = Noting([reel.frame(number) for number in range(12)], "noting")
    Chain(source, DIRT, cuts=[6]).result.frame(6)
    assert min(asked) >= 5, "frame 5 is looked at only to see that it can be read"
    chains = [Chain(reel, DIRT, cuts=cuts) for cuts in ([6], [7], None)]
    keys = {chain.result.key(6) for chain in chains}
    assert len(keys) == 3, "results under other cuts are not mistaken for each other"
    far = [Chain(reel, DIRT, cuts=cuts).result.key(1) for cuts in ([10], [11])]
    assert far[0] == far[1], "a cut far away changes nothing"


def test_a_treated_source_is_what_would_be_written(dirty_reel: Path) -> None:
    reel = open_reel(dirty_reel)
    treated = TreatedSource(TreatedReel(reel, plan_of(NOTHING, (Shot(first=0, treatment=DIRT), Shot(first=6)))))
    assert len(treated) == 12
    assert treated.format == reel.format
    np.testing.assert_array_equal(treated.frame(8).planes[0], reel.frame(8).planes[0])


def test_shots_and_marks_stay_with_the_job(tmp_path: Path) -> None:
    shots = (Shot(first=0, name="quay", kind="exterior"), Shot(first=9, treatment=DIRT))
    reel = Reel(path="/m/a.mkv", shots=shots, marks=(Mark(first=3, last=5, kind="dirt", note="hair"),))
    JobFile.create(tmp_path / "a.grevin", Job(reels=(reel,))).close()
    data = export_job(tmp_path / "a.grevin")
    import_job(data, tmp_path / "b.grevin")
    job = JobFile.open(tmp_path / "b.grevin")
    assert job.document.reels[0].shots == shots
    assert job.document.reels[0].marks == reel.marks
    job.close()


MARKS = (
    Mark(first=3, last=9, kind="dirt", note="a hair, “long”; twice\nsecond line"),
    Mark(first=50, last=50, note="why: unclear"), Mark(first=1799, last=1899, kind="flicker"),
)  # fmt: skip


@pytest.mark.parametrize("ending", ["csv", "edl", "otio"])
@pytest.mark.parametrize(
    ("rate", "start"),
    [
        (Fraction(25), None), (Fraction(18), None), (Fraction(24000, 1001), "10:00:00:00"),
        (Fraction(30000, 1001), "01:00:00;00"), (Fraction(50), "00:59:59:49"),
    ],
)  # fmt: skip
def test_marks_come_back_from_files(tmp_path: Path, ending: str, rate: Fraction, start: str | None) -> None:
    reel = MarkedReel("Quay", 2000, Counter("timecode", rate, start))
    path = tmp_path / f"marks.{ending}"
    write_marks(path, MARKS, reel)
    assert read_marks(path, reel) == MARKS
    assert [one.name for one in tmp_path.iterdir()] == [path.name]


def test_an_edit_list_is_written_as_cmx_3600(tmp_path: Path) -> None:
    """Number, reel, channel, cut, source in and out, record in and out; out is exclusive (CMX 3600, from memory)."""
    reel = MarkedReel("Quay", 2000, Counter("timecode", Fraction(30000, 1001), "01:00:00;00"))
    write_marks(tmp_path / "m.edl", MARKS[2:], reel)
    lines = (tmp_path / "m.edl").read_text().splitlines()
    assert lines[:2] == ["TITLE: Quay", "FCM: DROP FRAME"]
    # SMPTE ST 12-1: frame 1800 of drop-frame counting is 00:01:00;02
    assert lines[3].split() == ["001", "AX", "V", "C", "01:00:59;29", "01:01:03;12", "01:00:59;29", "01:01:03;12"]
    assert lines[4] == "* KIND: flicker"


def test_other_programs_lists_are_understood(tmp_path: Path) -> None:
    reel = MarkedReel("Quay", 2000, Counter("timecode", Fraction(25), "01:00:00:00"))
    (tmp_path / "m.edl").write_text(
        "TITLE: x\r\nFCM: NON-DROP FRAME\r\n\r\n"
        "001  TAPE7    V     D    025 01:00:02:00 01:00:04:20 00:00:00:00 00:00:02:20\r\n"
        "* FROM CLIP NAME:  tram\r\n* LOC: 01:00:02:10 RED     hair in the gate\r\n"
    )
    assert read_marks(tmp_path / "m.edl", reel) == (
        Mark(first=50, last=119, note="tram"), Mark(first=60, last=60, note="hair in the gate"),
    )  # fmt: skip
    timeline = otio.adapters.read_from_string(
        otio.adapters.write_to_string(_foreign_timeline(), "otio_json"), "otio_json"
    )
    otio.adapters.write_to_file(timeline, str(tmp_path / "m.otio"))
    assert read_marks(tmp_path / "m.otio", reel) == (Mark(first=10, last=14, note="scratch"),)


def _foreign_timeline() -> otio.schema.Timeline:
    """Made with the reference library alone, at another rate."""
    time, span = otio.opentime.RationalTime, otio.opentime.TimeRange
    clip = otio.schema.Clip("a", source_range=span(time(180_000, 50), time(400, 50)))
    clip.markers.append(otio.schema.Marker("scratch", span(time(180_020, 50), time(10, 50))))
    timeline = otio.schema.Timeline("x")
    track = otio.schema.Track("V", kind="Video")
    track.append(clip)
    timeline.tracks.append(track)
    return timeline


NTSC_RATE = Fraction(30000, 1001)
PIECES = (
    "first_frame,last_frame,kind,note",
    "3,4,dirt,x",
    "9,1,,",
    "001",
    "AX",
    "V",
    "C",
    "01:00:00;05",
    "01:00:01;00",
    "99:99:99:99",
    "* KIND: dirt",
    "* NOTE: hm",
    "* LOC: 01:00:00;09 RED x",
    "* LOC: 77",
    "TITLE: x",
    "{",
    "}",
    '"OTIO_SCHEMA":',
    "null",
    "001 AX V C 01:00:00;05 01:00:01;00 01:00:00;05 01:00:01;00",
    "001 AX V C 01:00:00;05 01:00:00;02 0:0:0:0 0:0:0:0",
)


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("m.csv", "first_frame,last_frame,kind,note\n5,x,,\n", "Line 2"), ("m.csv", "a,b\n1,2\n", "Line 2"),
        ("m.csv", "first_frame,last_frame\n9,3\n", "Line 2"), ("m.csv", "first_frame\n2000\n", "ends with frame 99"),
        ("m.edl", "001 AX V C 00:00:09:00 00:00:10:00 00:00:09:00 00:00:10:00\n", "ends with frame 99"),
        ("m.edl", "001 AX V C 00:00:00:77 00:00:10:00 00:00:09:00 00:00:10:00\n", "no timecode"),
        ("m.otio", "{}", "no OpenTimelineIO"), ("m.otio", "not json", "no OpenTimelineIO"),
        ("m.txt", "", "no name for marks"), ("m.csv", b"\xff\xfe\x00", "cannot be read"),
    ],
)  # fmt: skip
def test_wrong_marks_are_refused_with_a_sentence(tmp_path: Path, name: str, content: str | bytes, words: str) -> None:
    path = tmp_path / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    with pytest.raises(UsageError) as caught:
        read_marks(path, MarkedReel("Quay", 100, Counter("timecode", Fraction(25))))
    assert words in f"{caught.value.what} {caught.value.hint}"


@given(
    st.sampled_from([".csv", ".edl", ".otio"]),
    st.one_of(
        st.text(max_size=200), st.binary(max_size=200),
        st.lists(st.sampled_from(PIECES), max_size=12).map(" ".join), st.lists(st.sampled_from(PIECES)).map("\n".join),
    ),
)  # fmt: skip
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_whatever_a_marks_file_holds_it_is_read_or_refused(tmp_path: Path, ending: str, content: str | bytes) -> None:
    path = tmp_path / f"fuzz{ending}"
    path.write_bytes(content if isinstance(content, bytes) else content.encode("utf-8", "surrogatepass"))
    with contextlib.suppress(UsageError):
        for mark in read_marks(path, MarkedReel("Quay", 100, Counter("timecode", NTSC_RATE, "01:00:00;00"))):
            assert 0 <= mark.first <= mark.last < 100


def test_a_mark_is_said_once() -> None:
    marks = with_mark(with_mark((), Mark(first=9, last=9, note="a")), Mark(first=2, last=4))
    assert [mark.first for mark in marks] == [2, 9]
    assert with_mark(marks, Mark(first=9, last=9, note="b"))[1].note == "b"
    assert merged(marks, marks) == marks
    with pytest.raises(pydantic.ValidationError):
        Mark(first=4, last=3)


def test_findings_are_sorted_filtered_and_judged(tmp_path: Path) -> None:
    job = JobFile.create(tmp_path / "a.grevin", Job(reels=(Reel(path="/m/a.mkv"),)))
    table = job.findings(0)
    found = [
        SurveyFinding("dirt", 7, 7, 0.9, {"pixels": 40.0}, (10, 10, 8, 8)),
        SurveyFinding("dirt", 7, 7, 0.6, {}, (90, 10, 4, 4)),
        SurveyFinding("freeze", 2, 30, 1.0),
        SurveyFinding("flash", 40, 40, 0.8),
    ]
    table.put("survey", found)
    assert table.kinds() == {"dirt": 2, "flash": 1, "freeze": 1}
    assert [one.kind for one in table.every()] == ["freeze", "dirt", "dirt", "flash"]
    table.judge(Verdicts([Verdict("dirt", 7, (9, 11, 9, 8), "leave"), Verdict("freeze", 2, (0, 0, 640, 480), "mend")]))

    def kinds(wanted: Wanted) -> list[tuple[str, str]]:
        return [(one.kind, one.verdict) for one in table.rows(table.ids(wanted))]

    assert kinds(Wanted(verdict="leave")) == [("dirt", "leave")]
    assert kinds(Wanted(kinds=("dirt",), order="confidence")) == [("dirt", "undecided"), ("dirt", "leave")]
    assert kinds(Wanted(order="confidence", falling=True))[0] == ("freeze", "mend")
    assert kinds(Wanted(frames=range(31, 50))) == [("flash", "undecided")]
    assert kinds(Wanted(least_confidence=0.85, order="kind")) == [("dirt", "leave"), ("freeze", "mend")]
    assert len(kinds(Wanted(order="verdict"))) == 4
    assert table.spans(("dirt",), decided=True) == [(2, 30)]
    table.put("survey", found[:1])
    assert table.kinds() == {"dirt": 1}, "a new survey replaces the old one's findings"
    table.add("looking", Finding("unreadable", 5, 5, "Frame 5 cannot be read."))
    table.put("survey", [])
    assert table.kinds() == {"unreadable": 1}, "and no others"
    job.close()


def test_a_job_of_version_3_keeps_its_findings(tmp_path: Path) -> None:
    import sqlite3

    JobFile.create(tmp_path / "a.grevin", Job(reels=(Reel(path="/m/a.mkv"),))).close()
    database = sqlite3.connect(tmp_path / "a.grevin")
    database.execute("DROP TABLE found")
    database.execute(
        "CREATE TABLE findings (id INTEGER PRIMARY KEY, reel INTEGER NOT NULL, kind TEXT NOT NULL,"
        " first INTEGER NOT NULL, last INTEGER NOT NULL, words TEXT NOT NULL, verdict TEXT NOT NULL)"
    )
    database.execute(
        "INSERT INTO findings (reel, kind, first, last, words, verdict)"
        " VALUES (0, 'unreadable', 4, 4, 'lost', 'undecided')"
    )
    database.execute("PRAGMA user_version = 3")
    database.commit()
    database.close()
    job = JobFile.open(tmp_path / "a.grevin")
    assert [replace(one, id=0) for one in job.findings(0).every()] == [Finding("unreadable", 4, 4, "lost")]
    job.close()
