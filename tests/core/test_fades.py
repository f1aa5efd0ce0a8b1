"""Fades are no flicker, however they begin and turn back; what flickers behind one is."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from grevin.core.picture.colour import from_rgb, to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.light import FlickerDamage
from grevin.core.steps.flicker.steadiness import steadiness_of
from grevin.core.steps.flicker.stretches import _fades, joined_runs
from grevin.core.steps.flicker.study import FIGURES
from grevin.core.steps.flicker.words import words_of
from tests.conftest import moving_frames
from tests.core.lit import LENGTH, at_rest, under


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return at_rest()


def faded(frames: list[Frame], shown: np.ndarray, ground: int) -> list[Frame]:
    """Frames faded into a ground, as far as each is shown."""
    made = []
    for frame, share in zip(frames, shown, strict=True):
        luma, *colours = frame.planes
        luma = np.rint(ground + share * (luma.astype(np.float32) - ground)).astype(np.uint8)
        pale = [np.rint(128 + share * (plane.astype(np.float32) - 128)).astype(np.uint8) for plane in colours]
        made.append(frame.with_planes((luma, *pale)))
    return made


@pytest.mark.parametrize("ground", [16, 235])
@pytest.mark.parametrize("way", ["in from the fourth frame", "through", "nearly all through"])
def test_fades_of_short_shots_come_out_bit_for_bit(clean: list[Frame], ground: int, way: str) -> None:
    """Behind a fade that begins at once or turns back there is no level stretch to tell it by."""
    times = np.arange(24)
    shown = {
        "in from the fourth frame": np.clip((times - 3) / 14, 0, 1),
        "through": np.abs(2 * np.clip((times - 4) / 12, 0, 1) - 1),
        "nearly all through": np.clip((times - 1) / 21, 0, 1),
    }[way]
    source = faded(clean[:24], shown, ground)
    chain, made = under(source, "flicker")
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))


@pytest.mark.parametrize("ground", [16, 235])
@pytest.mark.parametrize("frames", [9, 16])
def test_flicker_behind_a_fade_is_taken_and_the_fade_is_left(ground: int, frames: int) -> None:
    reel = moving_frames(56, 192, 144)
    long = [reel.frame(number) for number in range(56)]
    shown = np.clip((np.arange(56) - 1) / frames, 0, 1)
    hurt = [FlickerDamage(12, "random").add(frame)[0] for frame in long]
    truth, source = faded(long, shown, ground), faded(hurt, shown, ground)
    chain, made = under(source, "flicker")
    behind = slice(frames + 4, 56)
    off, before = (
        np.array([one.planes[0].mean() - other.planes[0].mean() for one, other in zip(these, truth, strict=True)])
        for these in (made, source)
    )
    assert np.std(off[behind]) < 0.15 * np.std(before[behind])
    assert all(made[number] is chain.source.frame(number) for number in np.flatnonzero(shown < 0.9))
    assert any("in fades" in words for words in chain.told(range(56)))


def test_only_what_goes_down_to_black_or_white_is_a_fade() -> None:
    """A lamp that is switched off leaves little to see, and its light is told all the same."""
    steady = np.zeros(100, np.bool_)
    slow = np.clip((np.arange(100) - 4) / 40, 0, 1)
    assert np.flatnonzero(_fades(slow, steady)).tolist() == list(range(44))
    off = np.where(np.arange(100) < 50, 1.0, 0.3)
    assert not _fades(off, steady).any()


def test_a_fade_that_turns_back_is_told_by_its_speed() -> None:
    shown = 1 - 0.6 * np.clip(1 - np.abs(np.arange(60) - 30) / 8, 0, 1)
    fast = np.abs(np.arange(60) - 30) < 10
    assert np.array_equal(_fades(shown, fast), fast)


def test_frames_that_nothing_joins_are_cut_off() -> None:
    """Black frames of an RGB source say nothing; those behind them are a shot of their own."""
    first = np.concatenate([np.arange(12, 39), np.arange(12, 38)])
    second = np.concatenate([np.arange(13, 40), np.arange(14, 40)])
    assert joined_runs(40, {"first": first, "second": second}) == [range(12, 40)]
    assert joined_runs(30, {"first": first[:5], "second": second[:5]}) == []


def test_what_is_black_before_the_picture_does_not_keep_its_flicker(clean: list[Frame]) -> None:
    fmt = PictureFormat(192, 144, "rgb", 8, full_range=True)
    black = [Frame(number, fmt, tuple(np.zeros((144, 192), np.uint8) for _ in range(3))) for number in range(LENGTH)]
    hurt = [FlickerDamage(11, "random").add(frame)[0] for frame in clean]
    source = black[:6] + [from_rgb(black[frame.number], to_rgb(frame)).rounded() for frame in hurt[6:]]
    chain, made = under(source, "flicker")
    before, after = (np.array([np.mean(frame.planes) for frame in these[6:]]) for these in (source, made))
    assert np.std(after) < 0.3 * np.std(before)
    assert all(made[number] is chain.source.frame(number) for number in range(6))


@pytest.mark.parametrize(("spread", "words"), [(0.2, "0.20 levels, within"), (1.1, "its own light goes fast")])
def test_it_is_said_why_nothing_is_taken(spread: float, words: str) -> None:
    figures = dict.fromkeys(FIGURES, 0.0) | {"spread": spread, "unsure": 0.05, "compared": 3.0}
    assert words in words_of(figures, 25.0)[0]


@pytest.mark.parametrize(("off", "fades"), [((-2,), False), ((1,), False), ((-3, -2, -1), True), ((0, 1, 2), True)])
def test_one_frame_beside_the_end_of_a_shot_is_no_fade_but_three_are(off: tuple[int, ...], fades: bool) -> None:
    """Swings whose period is no whole number of frames are met worst at the ends, a frame here and there."""
    line = np.random.default_rng(3).normal(0.0, 0.1, LENGTH)
    line[list(off)] += 5.0
    trend = SimpleNamespace(periodic=np.zeros((LENGTH, 1)), steps=())
    steady = steadiness_of(SimpleNamespace(line=line, off=line, trend=trend))  # type: ignore[arg-type]
    assert (steady.min() < 1.0) == fades
