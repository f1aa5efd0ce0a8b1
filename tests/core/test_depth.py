"""Outputs of another depth: levels as the standards give them, nothing lost of what was not touched, dither."""

from __future__ import annotations

from contextlib import closing
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from grevin.core.errors import UsageError
from grevin.core.media.opening import open_reel
from grevin.core.picture.depth import in_bits, in_depth
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.render.verify import verify
from grevin.core.steps.registry import REGISTRY
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from tests.conftest import FORMATS, moving_frames, name_of, random_frame, write_video
from tests.core.made_steps import Level


def grey(value: int, full: bool, bits: int = 8) -> Frame:
    fmt = PictureFormat(4, 2, "yuv", bits, chroma="4:4:4", full_range=full)
    return Frame(0, fmt, tuple(np.full((2, 4), code, fmt.dtype) for code in (value, 1 << (bits - 1), 1 << (bits - 1))))


@pytest.mark.parametrize(("bits", "black", "white", "middle"), [(10, 64, 940, 512), (12, 256, 3760, 2048)])
def test_levels_are_those_of_bt_2020(bits: int, black: int, white: int, middle: int) -> None:
    # ITU-R BT.2020-2, table 5: black, nominal peak and achromatic level at 10 and 12 bit
    for code, level in ((16, black), (235, white)):
        planes = in_depth(grey(code, False), bits).planes
        assert (planes[0] == level).all()
        assert (planes[1] == middle).all()


def test_full_range_reaches_white() -> None:
    assert (in_depth(grey(255, True), 16).planes[0] == 65535).all()
    assert (in_depth(grey(255, True), 16).planes[1] == 32768).all()


@pytest.mark.parametrize("fmt", [fmt for fmt in FORMATS if fmt.bit_depth == 8], ids=name_of)
@pytest.mark.parametrize("bits", [10, 16])
def test_what_was_made_deeper_comes_back_sample_for_sample(fmt: PictureFormat, bits: int) -> None:
    frame = random_frame(fmt)
    back = in_depth(in_depth(frame, bits), 8)
    for ours, theirs in zip(back.planes, frame.planes, strict=True):
        np.testing.assert_array_equal(ours, theirs)
    assert in_depth(frame, 8) is frame
    assert in_depth(frame, None) is frame


def test_depths_that_do_not_exist_are_refused() -> None:
    with pytest.raises(UsageError, match="9 bit"):
        in_bits(FORMATS[0], 9)
    with pytest.raises(UsageError, match="floating-point"):
        in_bits(PictureFormat(4, 4, "rgb", 16, sample="half"), 10)


def test_dither_keeps_the_mean_and_what_is_a_code_value() -> None:
    fmt = PictureFormat(256, 256, "grey", 8, full_range=True, rate=Fraction(25))
    ramp = np.tile(np.linspace(100, 102, 256, dtype=np.float32), (256, 1))
    ramp[:40] = 101.0
    made = Frame(3, fmt, (ramp,), "everything")
    plain, dithered = in_depth(made, None).planes[0], in_depth(made, None, dither=True).planes[0]
    assert (dithered[:40] == 101).all()
    means = dithered[40:].astype(np.float64).mean(axis=0)
    assert np.abs(means - ramp[60]).max() < 0.25, "every column keeps its level"
    assert np.abs(plain[40:].mean(axis=0) - ramp[60]).max() > 0.45, "which plain rounding does not"
    np.testing.assert_array_equal(dithered, in_depth(made, None, dither=True).planes[0])
    # noise of triangular density over two code values has a variance of 1/6, rounding one of 1/12: together 1/4
    # (Lipshitz, Wannamaker and Vanderkooy 1992), whatever the value
    errors = (dithered[40:].astype(np.float64) - ramp[40:])[:, 10:-10]
    assert errors.var() == pytest.approx(0.25, abs=0.02)


def test_a_dithered_output_of_fewer_bits_is_proved_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(REGISTRY.steps, "made_level", Level())
    deep = moving_frames(6, bits=10)
    reel = open_reel(write_video(tmp_path / "in.mkv", [deep.frame(n) for n in range(6)]))
    step = TreatmentStep.make("made_level", regions=(Region(use="only", x=16, y=16, width=64, height=48),))
    out, evidence = tmp_path / "out.mkv", tmp_path / "evidence"
    with closing(reel):
        plan = Plan.whole(Treatment(steps=(step,)))
        run(reel, plan, RunRequest(out, range(6), evidence, bits=8, dither=True), Progress())
        with closing(open_reel(out)) as made:
            assert verify(reel, made, range(6), evidence, Progress()).passed


@pytest.mark.parametrize("dither", [False, True])
def test_an_output_in_ten_bits_is_proved(dither: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(REGISTRY.steps, "made_level", Level())
    rng = np.random.default_rng(4)
    frames = [
        replace(one, planes=(np.clip(one.planes[0].astype(np.int16) + rng.integers(-5, 6), 0, 255).astype(np.uint8),
                             *one.planes[1:]))
        for one in (moving_frames(6).frame(n) for n in range(6))
    ]  # fmt: skip
    reel = open_reel(write_video(tmp_path / "in.mkv", frames))
    inside = Region(use="only", x=16, y=16, width=64, height=48)
    step = TreatmentStep.make("made_level", regions=(inside,))
    out, evidence = tmp_path / "out.mkv", tmp_path / "evidence"
    request = RunRequest(out, range(6), evidence, bits=10, dither=dither)
    with closing(reel):
        run(reel, Plan.whole(Treatment(steps=(step,))), request, Progress())
        with closing(open_reel(out)) as made:
            assert made.format.bit_depth == 10
            luma = made.frame(2).planes[0]
            assert (luma % 4 != 0).any(), "what was made between two code values is kept"
            outside = np.ones(luma.shape, np.bool_)
            outside[16:64, 16:80] = False
            np.testing.assert_array_equal(luma[outside], 4 * frames[2].planes[0].astype(np.uint16)[outside])
            assert verify(reel, made, range(6), evidence, Progress()).passed
