"""Sound of a reel whose time was changed, read back through the FFmpeg libraries by themselves."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.render.proof import Proof
from grevin.core.render.request import RunRequest, Sound
from grevin.core.render.run import run
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import write_video
from tests.core.film_time import captures, in_order, source_of

RATE = Fraction(25)
HEARD_HZ = 48000


@pytest.fixture
def taken(tmp_path: Path) -> Path:
    """Ten film frames in seven captures each: 70 frames, 2.8 s, of sound."""
    source = source_of(captures([7] * 10, False)[0], RATE, "captures")
    return write_video(tmp_path / "captures.mkv", [source.frame(n) for n in range(70)], sound=True)


def picked(path: Path, output: Path, sound: Sound, frames: range | None = None, speed: float = 18.0) -> Proof:
    reel = open_reel(path)
    plan = Plan.whole(Treatment(steps=(TreatmentStep.make("pick", {"film_speed": speed}),)))
    return run(reel, plan, RunRequest(output, frames or range(len(reel)), sound=sound), Progress())


def heard(path: Path) -> np.ndarray:
    with av.open(str(path)) as container:
        assert container.streams.audio[0].rate == HEARD_HZ
        return np.concatenate([frame.to_ndarray().reshape(-1, 2)[:, 0] for frame in container.decode(audio=0)])


def pitch(wave: np.ndarray) -> float:
    """Hz of the strongest tone."""
    return float(np.abs(np.fft.rfft(wave * np.hanning(len(wave)))).argmax()) * HEARD_HZ / len(wave)


def test_padded_sound_keeps_its_speed_and_is_as_long_as_the_picture(taken: Path, tmp_path: Path) -> None:
    before = heard(taken)
    proof = picked(taken, tmp_path / "short.mkv", "padded")
    short = heard(tmp_path / "short.mkv")
    assert len(short) == round(10 / 18 * HEARD_HZ)
    np.testing.assert_array_equal(short, before[: len(short)])
    assert any("silence or a cut" in note for note in proof.notes)
    picked(taken, tmp_path / "long.mkv", "padded", speed=2.0)
    long = heard(tmp_path / "long.mkv")
    assert len(long) == 5 * HEARD_HZ
    np.testing.assert_array_equal(long[: len(before)], before)
    assert not long[len(before) :].any()


def test_retimed_sound_plays_faster_its_pitch_with_it(taken: Path, tmp_path: Path) -> None:
    before = heard(taken)
    proof = picked(taken, tmp_path / "o.mkv", "re-timed")
    after = heard(tmp_path / "o.mkv")
    assert len(after) == round(10 / 18 * HEARD_HZ)
    assert any("5.04 times as fast" in note for note in proof.notes)
    assert pitch(after) == pytest.approx(pitch(before) * 2.8 / (10 / 18), rel=0.01)
    with av.open(str(tmp_path / "o.mkv")) as container:
        video = container.streams.video[0]
        assert (video.average_rate, sum(1 for _ in container.decode(video))) == (18, 10)


def test_a_range_has_its_own_sound(taken: Path, tmp_path: Path) -> None:
    picked(taken, tmp_path / "o.mkv", "padded", range(35, 70), speed=5.0)
    part = heard(tmp_path / "o.mkv")
    assert len(part) == HEARD_HZ
    np.testing.assert_array_equal(part, heard(taken)[35 * HEARD_HZ // 25 :][: len(part)])


def test_a_change_of_rate_within_a_reel_is_said(tmp_path: Path) -> None:
    for name, order, said in (
        ("changes", [*(n // 2 for n in range(60)), *range(30, 80)], True),
        ("steady", [n // 2 for n in range(60)], False),
    ):
        source = in_order(order, RATE)
        path = write_video(tmp_path / f"{name}.mkv", [source.frame(n) for n in range(len(order))], sound=True)
        plan = Plan.whole(Treatment(steps=(TreatmentStep.make("repeats"),)))
        proof = run(open_reel(path), plan, RunRequest(tmp_path / f"{name}-out.mkv", range(len(order))), Progress())
        assert proof.left_out == 30
        words = [note for note in proof.notes if "right in the mean only" in note]
        assert bool(words) == said
        if said:
            assert "at frame 60" in words[0], "due at 60 / 25 = 2.4 s, shown at 30 / (80 / 4.4) = 1.65 s"
            assert "0.75 s apart" in words[0]
        assert len(heard(tmp_path / f"{name}-out.mkv")) == len(order) * HEARD_HZ // 25
