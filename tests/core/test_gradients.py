"""Stepped gradients: widened where rounding alone made them, left where there is noise, texture or nothing."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from skimage import data as photographs

from grevin.core.picture.depth import in_depth
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.gradients.depth import NO_STEP, Steps, steps_in
from grevin.core.steps.gradients.fitting import softened
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

HEIGHT, WIDTH = 144, 192
DOWN, ACROSS = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float64)
SKIES = {
    "even": 60 + 8 * ACROSS / WIDTH,
    "slanted": 90 + 5 * ACROSS / WIDTH + 4 * DOWN / HEIGHT,
    "round": 80 + 6 * np.cos(np.hypot(ACROSS - 90, DOWN - 70) / 70),
}


def shot(truth: np.ndarray, count: int = 3, bits: int = 8, chroma: Any = None) -> list[Frame]:
    """Frames of a picture as it is rounded to 8 bit, their gradient going on by a part of a step."""
    fmt = PictureFormat(truth.shape[1], truth.shape[0], "grey", bits)
    return [
        Frame(number, fmt, (np.clip(np.rint(truth + 0.37 * number), 0, fmt.max_code).astype(fmt.dtype),))
        for number in range(count)
    ]


def treated(frames: list[Frame], **settings: Any) -> tuple[Chain, list[Frame]]:
    chain = Chain(MemorySource(frames, "reel"), Treatment(steps=(TreatmentStep.make("gradients", settings),)))
    return chain, [chain.result.frame(number) for number in range(len(frames))]


def mse(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.mean(np.square(one.astype(np.float64) - other)))


@pytest.mark.parametrize("sky", SKIES)
def test_a_sky_in_steps_comes_near_to_what_it_was(sky: str) -> None:
    frames = shot(SKIES[sky])
    chain, made = treated(frames)
    for number, (frame, one) in enumerate(zip(frames, made, strict=True)):
        truth = SKIES[sky] + 0.37 * number
        assert mse(one.planes[0], truth) < mse(frame.planes[0], truth) / 5  # 7 dB
        assert np.array_equal(one.rounded().planes[0], frame.planes[0])  # rounded it is the source's
        deeper, plain = (in_depth(each, 10).planes[0] / 4 for each in (one, frame))
        assert mse(deeper, truth) < mse(plain, truth) / 4
    (words, *_) = chain.told(range(len(frames)))
    assert "steps of 1 code value over" in words


def test_written_in_its_own_depth_a_reel_is_the_source() -> None:
    frames = shot(SKIES["slanted"])
    _, made = treated(frames)
    assert all(np.array_equal(in_depth(one, None).planes[0], f.planes[0]) for one, f in zip(made, frames, strict=True))


@pytest.mark.parametrize("what", ["noise", "texture", "plain", "drawn"])
def test_what_is_no_gradient_in_steps_comes_out_bit_for_bit(what: str) -> None:
    rng = np.random.default_rng(8)
    pictures = {
        "noise": SKIES["even"] + rng.normal(0, 1.0, (HEIGHT, WIDTH)),
        "texture": photographs.brick()[:HEIGHT, :WIDTH].astype(np.float64),
        "plain": np.full((HEIGHT, WIDTH), 77.0),
        "drawn": np.where(np.hypot(ACROSS - 90, DOWN - 70) < 40, 180.0, 40.0) + 3.0 * (ACROSS > 150),
    }
    frames = shot(pictures[what], count=2) if what == "noise" else [replace(f, number=n) for n, f in
              enumerate(shot(pictures[what], count=1) * 2)]  # fmt: skip
    chain, made = treated(frames)
    assert all(one is other for one, other in zip(made, frames, strict=True))
    assert "Nothing is changed" in chain.told(range(len(frames)))[0]


def test_edges_and_faint_lines_stay() -> None:
    truth = SKIES["even"].copy()
    truth[:, 100:] += 60
    truth[70, 10:60] += 2  # a line of one pixel, two levels above
    (frame,) = shot(truth, count=1)
    _, (made,) = treated([frame])
    steps = made.planes[0] - frame.planes[0].astype(np.float64)
    assert np.abs(steps).max() < 0.5
    assert made.planes[0][60, 101] - made.planes[0][60, 98] > 58
    line = made.planes[0][70, 15:55] - (made.planes[0][68, 15:55] + made.planes[0][72, 15:55]) / 2
    assert line.min() > 0.9


@pytest.mark.parametrize(("bits", "was", "size"), [(10, 8, 4.0), (8, 6, 255 / 63), (8, 5, 255 / 31)])
def test_steps_of_several_code_values_are_told_by_those_that_never_come(bits: int, was: int, size: float) -> None:
    most, few = 2**bits - 1, 2**was - 1
    ramp = np.linspace(0.1, 0.9, WIDTH)[None, :] + np.linspace(0, 0.05, HEIGHT)[:, None]
    held = np.rint(ramp * few) * (4 if bits == 10 else most / few)
    frames = shot(held, count=1, bits=bits)
    found = steps_in([frames[0].planes[0]], most)
    assert found.size == pytest.approx(size, rel=0.02)
    truth = ramp * few * size
    chain, (made,) = treated(frames)
    assert mse(made.planes[0], truth) < mse(frames[0].planes[0], truth) / 4
    assert "code values over" in chain.told(range(1))[0]


def test_few_code_values_and_none_tell_no_step() -> None:
    drawn = np.repeat(np.array([10, 60, 130, 131, 200]), 40).astype(np.uint8)[None, :]
    assert steps_in([drawn], 255) == Steps(1.0, 0.0)
    assert steps_in([np.full((4, 4), 10.5, np.float32)], 255) == NO_STEP


def test_samples_that_another_step_made_are_left_and_the_rest_is_widened() -> None:
    (frame,) = shot(SKIES["even"], count=1)
    mended = frame.planes[0].astype(np.float32)
    mended[20:40, 20:40] += 0.3
    _, (made,) = treated([frame.with_planes((mended,))])
    assert np.array_equal(made.planes[0][20:40, 20:40], mended[20:40, 20:40])
    assert np.abs(made.planes[0] - mended)[60:].mean() > 0.15


def test_strength_colour_and_acts() -> None:
    fmt = PictureFormat(WIDTH, HEIGHT, "yuv", 8, chroma="4:2:0")
    luma = np.rint(SKIES["even"]).astype(np.uint8)
    chroma = tuple(np.rint(SKIES[sky][::2, ::2] + 40).astype(np.uint8) for sky in ("round", "slanted"))
    frames = [Frame(0, fmt, (luma, *chroma))]
    (whole,), (half,), (grey,) = (treated(frames, **s)[1] for s in ({}, {"strength": 0.5}, {"colour": False}))
    moved = whole.planes[0] - luma
    assert np.allclose(half.planes[0] - luma, moved / 2, atol=1e-4)
    assert grey.planes[1] is frames[0].planes[1]
    assert mse(whole.planes[1], SKIES["round"][::2, ::2] + 40) < mse(chroma[0], SKIES["round"][::2, ::2] + 40) / 3
    assert treated(frames, strength=0)[1][0] is frames[0]
    assert treated(frames, least_pct=100)[1][0] is frames[0]
    assert treated(frames, least_pct=100, acts="all")[1][0] is not frames[0]


def test_rounding_spreads_by_a_twelfth_and_planes_are_found_again() -> None:
    """Bennett 1948: a twelfth of a squared step. A plane that crosses steps is met to a twentieth of one."""
    truth = 20 + 0.05 * ACROSS + 0.021 * DOWN
    rounded = np.rint(truth)
    assert np.var(rounded - truth) == pytest.approx(1 / 12, rel=0.05)
    soft, wide = softened(rounded)
    assert np.sqrt(np.mean(np.square(soft - truth))) < 0.05
    assert wide.min() > 0.9


@pytest.mark.parametrize("size", [(1, 1), (2, 3), (4, 60), (5, 5), (9, 9), (13, 200)])
def test_the_smallest_pictures(size: tuple[int, int]) -> None:
    soft, wide = softened(np.rint(np.linspace(0, 3, size[0] * size[1])).reshape(size))
    assert soft.shape == wide.shape == size
    assert np.isfinite(soft).all()
