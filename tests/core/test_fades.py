"""Fades are no flicker, however they begin and turn back; what flickers behind one is."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.light import FlickerDamage
from grevin.core.steps.flicker.study import FIGURES, _steadiness
from grevin.core.steps.flicker.words import words_of
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


def test_flicker_behind_a_fade_is_lessened_and_the_fade_is_kept(clean: list[Frame]) -> None:
    shown = np.clip((np.arange(LENGTH) - 3) / 9, 0, 1)
    hurt = [FlickerDamage(11, "random").add(frame)[0] for frame in clean]
    truth, source = faded(clean, shown, 16), faded(hurt, shown, 16)
    _, made = under(source, "flicker")
    behind = slice(16, 34)
    off = np.array([one.planes[0].mean() - other.planes[0].mean() for one, other in zip(made, truth, strict=True)])
    before = np.array([one.planes[0].mean() - other.planes[0].mean() for one, other in zip(source, truth, strict=True)])
    assert np.std(off[behind]) < 0.8 * np.std(before[behind])
    assert all((made[number].planes[0] == 16).all() for number in (0, 1, 2)), "black stays black"


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
    steady = _steadiness(SimpleNamespace(line=line, off=line, trend=trend))  # type: ignore[arg-type]
    assert (steady.min() < 1.0) == fades
