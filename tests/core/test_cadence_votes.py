"""Repeats told by how much of the way a frame does: noise, pulses, freezes, near-still pictures."""

from __future__ import annotations

from fractions import Fraction

import cv2
import numpy as np
import pytest

from grevin.core.measure.repeats import step_done
from tests.core.film_time import RATE, chain, source_of


def pan(places: list[float], noise: float = 0.0, seed: int = 2, contrast: float = 40.0) -> list[np.ndarray]:
    rng = np.random.default_rng(seed)
    ground = cv2.GaussianBlur(rng.uniform(0, 255, (200, 500)).astype(np.float32), (0, 0), 3)
    ground = (ground - ground.mean()) / ground.std() * contrast + 120
    moved = (
        cv2.warpAffine(ground, np.array([[1, 0, -x - 20.0], [0, 1, -10.0]]), (256, 160), flags=cv2.INTER_CUBIC)
        for x in places
    )
    return [np.clip(np.rint(one + rng.normal(0, noise, one.shape)), 0, 255).astype(np.uint8) for one in moved]


def share(*pictures: np.ndarray) -> float:
    shared, whole = step_done(*pictures)
    return shared / whole


@pytest.mark.parametrize("noise", [0.0, 4.0])
def test_a_repeat_does_nothing_of_the_way_and_a_frame_a_third(noise: float) -> None:
    assert share(*pan([0, 2, 4, 6], noise)) == pytest.approx(1 / 3, abs=0.06)
    assert share(*pan([0, 2, 2, 4], noise)) == pytest.approx(0, abs=0.03)
    assert share(*pan([0, 2.0, 2.6, 4.6], noise)) > 0.08, "a pulse is a step"


def left_out(lumas: list[np.ndarray], rate: Fraction = RATE, **settings: object) -> tuple[list[int], Fraction]:
    timeline = chain(source_of(lumas, rate, "run"), "repeats", settings).timeline
    return timeline.left_out().tolist(), timeline.rate


def test_motion_that_pulses_loses_no_frame() -> None:
    steps = [3.0, 0.8, 3.0, 3.0, 0.7, 3.2, 3.0, 3.1, 0.8, 3.0] * 3
    assert left_out(pan(np.cumsum(steps).tolist(), 2.0)) == ([], RATE)


@pytest.mark.parametrize("noise", [0.0, 3.0])
def test_a_freeze_is_found_to_its_ends(noise: float) -> None:
    places = [2.0 * n for n in range(15)] + [28.0] * 8 + [28.0 + 2.0 * n for n in range(1, 16)]
    assert left_out(pan(places, noise))[0] == list(range(15, 23))


@pytest.mark.parametrize(
    ("period", "rate", "true"),
    [
        (2, Fraction(25), Fraction(25, 2)), (5, Fraction(30), Fraction(24)),
        (6, Fraction(30000, 1001), Fraction(25000, 1001)),
    ],
)  # fmt: skip
def test_a_cadence_is_voted_for_where_hardly_anything_moves(period: int, rate: Fraction, true: Fraction) -> None:
    """Steps of four tenths of a pixel of a faint picture under noise of four levels: no single frame tells."""
    at, places = 0.0, []
    for frame in range(60):
        at += 0.4 * (frame % period != period - 1)
        places.append(at)
    found, came = left_out(pan(places, 4.0, contrast=25.0), rate)
    assert came == true
    assert set(found) == {n for n in range(1, 60) if n % period == period - 1}


def test_material_without_repeats_comes_out_bit_for_bit_whatever_its_noise() -> None:
    for noise in (0.0, 2.0, 5.0):
        for step in (0.3, 1.7, 6.0):
            lumas = pan([step * n for n in range(40)], noise, seed=round(10 * step))
            assert left_out(lumas) == ([], RATE), (noise, step)
