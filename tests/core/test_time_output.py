"""Time put right, through to the output: rates, sound, ledger, proof, ranges."""

from __future__ import annotations

import csv
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest

from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.render.verify import verify
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from grevin.core.treatment.verdicts import Verdict, Verdicts
from tests.conftest import moving_frames, write_video
from tests.core.film_time import RATE, captures, in_order, same, source_of


def apply(reel_path: Path, output: Path, *steps: tuple[str, dict], **request):
    treatment = Treatment(steps=tuple(TreatmentStep.make(step, settings) for step, settings in steps))
    reel = open_reel(reel_path)
    frames = request.pop("frames", range(len(reel)))
    return run(reel, Plan.whole(treatment), RunRequest(output, frames, **request), Progress())


@pytest.fixture
def stutter(tmp_path: Path) -> Path:
    """Thirty pictures shown twice each, with sound."""
    source = in_order([n // 2 for n in range(60)])
    return write_video(tmp_path / "stutter.mkv", [source.frame(n) for n in range(60)], sound=True)


def test_the_output_plays_right_elsewhere(stutter: Path, tmp_path: Path) -> None:
    evidence = tmp_path / "evidence"
    proof = apply(stutter, tmp_path / "out.mkv", ("repeats", {}), evidence=evidence)
    assert (proof.frames, proof.untouched, proof.left_out, proof.made) == (30, 30, 30, 0)
    assert "the true rate is 12.5" in " ".join(proof.notes)
    with av.open(str(tmp_path / "out.mkv")) as container:
        video, audio = container.streams.video[0], container.streams.audio[0]
        frames = list(container.decode(video))
        assert len(frames) == 30
        assert video.average_rate == Fraction(25, 2)
        assert float(frames[-1].time) == pytest.approx(29 / 12.5, abs=0.001)
        container.seek(0)
        heard = sum(frame.samples for frame in container.decode(audio)) / audio.rate
        assert heard == pytest.approx(60 / 25, abs=0.01), "the sound was kept, and is as long as the picture"
    result = verify(open_reel(stutter), open_reel(tmp_path / "out.mkv"), range(60), evidence, Progress())
    assert result.passed, result.sentence()
    assert result.identical == 30


def test_sound_that_no_longer_fits_is_left_out_and_said(tmp_path: Path) -> None:
    lumas, _ = captures([7] * 10, False)
    source = source_of(lumas, RATE, "captures")
    path = write_video(tmp_path / "captures.mkv", [source.frame(n) for n in range(len(source))], sound=True)
    proof = apply(path, tmp_path / "out.mkv", ("pick", {}))
    assert proof.frames == 10
    assert any("The sound was left out: the picture plays 0.56 s instead of 2.80 s" in note for note in proof.notes)
    with av.open(str(tmp_path / "out.mkv")) as container:
        assert not container.streams.audio
        assert container.streams.video[0].average_rate == 18
    proof = apply(path, tmp_path / "kept.mkv", ("pick", {}), sound="always")
    assert any("The sound was kept though" in note for note in proof.notes)
    with av.open(str(tmp_path / "kept.mkv")) as container:
        heard = sum(frame.samples for frame in container.decode(audio=0))
        assert heard == pytest.approx(48000 * len(source) / 25, rel=0.01)
    with av.open(str(silent(path, tmp_path / "never.mkv"))) as container:
        assert not container.streams.audio


def silent(source: Path, output: Path) -> Path:
    apply(source, output, ("repeats", {}), sound="never")
    return output


def test_made_frames_are_on_the_ledger_and_proved(stutter: Path, tmp_path: Path) -> None:
    evidence, ledger = tmp_path / "evidence", tmp_path / "l.csv"
    proof = apply(stutter, tmp_path / "o.mkv", ("rebuild", {"frames": [12, 13, 40]}), evidence=evidence, ledger=ledger)
    assert (proof.frames, proof.made, proof.untouched) == (60, 3, 57)
    rows = list(csv.DictReader(ledger.read_text().splitlines()))
    assert [(row["frame"], row["step"], row["verdict"]) for row in rows] == [
        ("12", "rebuild", "mend"), ("13", "rebuild", "mend"), ("40", "rebuild", "mend"),
    ]  # fmt: skip
    result = verify(open_reel(stutter), open_reel(tmp_path / "o.mkv"), range(60), evidence, Progress())
    assert result.passed
    assert result.changed == 3


def test_a_region_alone_is_made_anew(tmp_path: Path) -> None:
    clean = moving_frames(9, 320, 240, speed=3.0)
    region = Region(use="only", shape="rectangle", x=80, y=60, width=100, height=80)
    step = TreatmentStep.make("rebuild", {"frames": [4]}, True, (region,))
    found = Chain(clean, Treatment(steps=(step,)))
    made, source = found.result.frame(4).planes[0], clean.frame(4).planes[0]
    inside = np.zeros(source.shape, np.bool_)
    inside[60:140, 80:180] = True
    np.testing.assert_array_equal(made[~inside], source[~inside])
    assert (made[inside] != source[inside]).mean() > 0.5
    path = write_video(tmp_path / "clean.mkv", [clean.frame(n) for n in range(9)])
    request = RunRequest(tmp_path / "o.mkv", range(9), tmp_path / "evidence", tmp_path / "l.csv")
    run(open_reel(path), Plan.whole(Treatment(steps=(step,))), request, Progress())
    (row,) = csv.DictReader((tmp_path / "l.csv").read_text().splitlines())
    assert [int(row[name]) for name in ("frame", "x", "y", "width", "height", "pixels")] == [4, 80, 60, 100, 80, 8000]
    proof = verify(open_reel(path), open_reel(tmp_path / "o.mkv"), range(9), tmp_path / "evidence", Progress())
    assert proof.passed
    assert 0 < proof.samples_changed < 12_500


def test_a_range_of_a_retimed_reel(stutter: Path, tmp_path: Path) -> None:
    apply(stutter, tmp_path / "all.mkv", ("repeats", {}))
    apply(stutter, tmp_path / "part.mkv", ("repeats", {}), frames=range(10, 31))
    whole, part = open_reel(tmp_path / "all.mkv"), open_reel(tmp_path / "part.mkv")
    assert len(part) == 11
    assert all(same(part.frame(n), whole.frame(5 + n)) for n in range(11))
    apply(stutter, tmp_path / "p.%04d.png", ("repeats", {}), frames=range(10, 31))
    assert sorted(path.name for path in tmp_path.glob("p.*.png"))[0] == "p.0005.png", "numbered as the output is"


def test_verdicts_behind_a_change_of_time_are_about_the_reels_frames(dirty_reel: Path) -> None:
    reel = open_reel(dirty_reel)
    source = MemorySource([reel.frame(n // 2) for n in range(24)], "twice")
    steps = Treatment(steps=(TreatmentStep.make("repeats"), TreatmentStep.make("dirt")))
    plain = Chain(source, steps)
    assert len(plain.result) == 12
    blob = plain.evidence_at(2, 10).blobs[0]
    assert plain.output_of(2, 10) == 5
    said = Chain(source, steps, verdicts=Verdicts([Verdict("dirt", 10, blob.area, "leave")]))
    assert blob not in said.evidence_at(2, 10).blobs
    assert [one.area for one in said.evidence_at(2, 10).left] == [blob.area]
    assert said.time_words(2, 11).startswith("left out; shown instead: output frame 5")


def test_missing_pictures_of_a_sequence_are_made(tmp_path: Path) -> None:
    clean = moving_frames(9, 320, 240, speed=3.0)
    for number in range(9):
        if number != 4:
            cv2.imwrite(str(tmp_path / f"scan.{number:04}.png"), clean.frame(number).planes[0])
    (tmp_path / "out").mkdir()
    proof = apply(tmp_path / "scan.%04d.png", tmp_path / "out" / "o.%04d.png", ("rebuild", {"unreadable": "rebuild"}))
    assert (proof.frames, proof.made, proof.untouched) == (9, 1, 8)
    made = cv2.imread(str(tmp_path / "out" / "o.0004.png"), cv2.IMREAD_GRAYSCALE).astype(float)
    assert np.abs(made - clean.frame(4).planes[0])[10:-10, 10:-10].mean() < 3.0
