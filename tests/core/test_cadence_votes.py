"""Repeats told by how much of the way a frame does: noise, pulses, freezes, near-still pictures."""

from __future__ import annotations

from fractions import Fraction

import cv2
import numpy as np
import pytest

from grevin.core.measure.cadence import alone_of_its_own
from grevin.core.measure.repeats import displaced_share, step_done
from grevin.core.progress import Progress
from grevin.core.survey.survey import run_survey
from tests.core.film_time import RATE, chain, source_of


def pan(places: list[float], noise: float = 0.0, seed: int = 2, contrast: float = 40.0) -> list[np.ndarray]:
    return pointed_at([(x, 0.0) for x in places], noise, seed, contrast)


def pointed_at(
    places: list[tuple[float, float]], noise: float = 0.0, seed: int = 2, contrast: float = 40.0
) -> list[np.ndarray]:
    rng = np.random.default_rng(seed)
    ground = cv2.GaussianBlur(rng.uniform(0, 255, (200, 500)).astype(np.float32), (0, 0), 3)
    ground = (ground - ground.mean()) / ground.std() * contrast + 120
    moved = (
        cv2.warpAffine(ground, np.array([[1, 0, -x - 20.0], [0, 1, -10.0 - y]]), (256, 160), flags=cv2.INTER_CUBIC)
        for x, y in places
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


def one_who_moves(order: list[int], noise: float, seed: int) -> list[np.ndarray]:
    """A still room in which a small thing moves in fits, under noise: most of the picture never changes."""
    rng = np.random.default_rng(seed)
    room = cv2.GaussianBlur(rng.uniform(0, 255, (160, 256)).astype(np.float32), (0, 0), 3) * 0.6 + 50
    at = np.cumsum(rng.choice([0.0, 0.6, 1.5], max(order) + 1, p=[0.3, 0.4, 0.3]))
    shown = []
    for place in order:
        picture = room.copy()
        cv2.circle(picture, (round(16 * (60 + at[place])), 16 * 80), 16 * 14, 170.0, -1, cv2.LINE_AA, 4)
        shown.append(picture)
    return [np.clip(np.rint(one + rng.normal(0, noise, one.shape)), 0, 255).astype(np.uint8) for one in shown]


@pytest.mark.parametrize(("period", "rate"), [(2, Fraction(25)), (5, Fraction(30))])
def test_a_cadence_is_told_where_one_small_thing_moves_in_fits_under_noise(period: int, rate: Fraction) -> None:
    order = np.cumsum([n % period != period - 1 for n in range(80)]).tolist()
    for seed in (1, 2, 3):
        found, came = left_out(one_who_moves(order, 5.0, seed), rate)
        assert came == rate * (period - 1) / period, seed
        assert {n for n in range(1, 80) if n % period == period - 1} <= set(found)


def test_no_cadence_is_told_where_things_move_and_rest_as_they_please() -> None:
    for seed in range(12):
        assert left_out(one_who_moves(list(range(80)), 5.0, seed)) == ([], RATE), seed


def test_a_cadence_is_told_of_a_camera_that_trembles_under_noise() -> None:
    """It goes nowhere, so that no frame does a part of a way: that it moves at all is what tells."""
    rng = np.random.default_rng(3)
    places = rng.normal(0, 0.6, (80, 2))
    order = np.cumsum([n % 5 != 4 for n in range(80)])
    shown = [(float(places[n][0]), float(places[n][1])) for n in order]
    found, came = left_out(pointed_at(shown, 5.0, contrast=20.0), Fraction(30))
    assert came == Fraction(24)
    assert found == list(range(4, 80, 5))
    still_moving = [(float(x), float(y)) for x, y in places]
    assert left_out(pointed_at(still_moving, 5.0, contrast=20.0), Fraction(30)) == ([], Fraction(30))


def test_material_without_repeats_comes_out_bit_for_bit_whatever_its_noise() -> None:
    for noise in (0.0, 2.0, 5.0):
        for step in (0.3, 1.7, 6.0):
            lumas = pan([step * n for n in range(40)], noise, seed=round(10 * step))
            assert left_out(lumas) == ([], RATE), (noise, step)


def in_hand(seed: int, speed: float) -> list[tuple[float, float]]:
    """A way that stops and turns back, as that of a camera held in hand."""
    rng = np.random.default_rng(seed)
    moving, place, way = np.zeros(2), np.zeros(2), []
    for _ in range(60):
        moving = 0.75 * moving + rng.normal(0, speed, 2)
        place = 0.98 * place + moving
        way.append((float(place[0]), float(place[1])))
    return way


@pytest.mark.parametrize("noise", [0.0, 3.0])
def test_a_camera_held_in_hand_loses_no_frame(noise: float) -> None:
    for seed in range(6):
        assert left_out(pointed_at(in_hand(seed, 0.8), noise)) == ([], RATE), seed


def test_repeats_of_a_camera_held_in_hand_are_found_where_they_stand_out() -> None:
    way = in_hand(4, 2.5)
    shown = [*way[:20], way[19], *way[20:40], way[39], *way[40:]]
    found, _ = left_out(pointed_at(shown, 2.0))
    assert found == [20, 41]


def test_noise_displaces_nothing_and_a_hand_does_on_every_frame() -> None:
    still, moved = (pointed_at([(0.0, 0.0), (step, 0.0)], 3.0) for step in (0.0, 0.4))
    assert displaced_share(*still) < 0.02
    assert displaced_share(*moved) > 0.3
    assert displaced_share(still[0], still[0]) == 0
    plain = [np.full((40, 60), level, np.uint8) for level in (90, 140)]
    assert displaced_share(*plain) == 0, "light is no displacement"


def test_the_survey_takes_no_hand_for_repeats() -> None:
    source = source_of(pointed_at(in_hand(3, 0.8), 2.0), RATE, "hand")
    result = run_survey(source, range(len(source)), "full", Progress())
    assert not [finding for finding in result.findings if finding.kind in {"repeat", "near_repeat"}]
    assert result.cadence is not None
    assert result.cadence.name == "none"


def test_a_single_repeat_does_nothing_of_its_own_way() -> None:
    """Where a picture goes slowly for a while, a frame does little of the ways around, and its part of its own."""
    change = np.array([9, 8, 1.4, 1.3, 0.8, 1.4, 2.2, 8, 9], np.float32)
    whole = np.array([160, 140, 21, 16, 17, 20, 45, 150, 160], np.float32)
    flags = np.arange(9) == 4
    slow, still = np.where(flags, 0.15, 0.35) * whole, np.where(flags, 0.02, 0.35) * whole
    assert alone_of_its_own(change, slow.astype(np.float32), whole, flags).tolist() == flags.tolist()
    assert not alone_of_its_own(change, still.astype(np.float32), whole, flags).any()
    freeze = (np.arange(9) >= 3) & (np.arange(9) <= 5)  # others stand beside it: what is left of a way is no way
    assert not alone_of_its_own(change, slow.astype(np.float32), whole, freeze).any()
    assert not alone_of_its_own(
        np.where(flags, 0, change).astype(np.float32), slow.astype(np.float32), whole, flags
    ).any()
