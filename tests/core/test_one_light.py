"""Two pictures in one light: exposure, pedestal and development are told from noise and from what moves."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
import pytest

from grevin.core.measure.one_light import (
    ALIKE,
    LEAST_CHANGE,
    difference_in_one_light,
    in_usual_light,
    light_change,
    light_tables,
    lighting_along,
    lit_bytes,
    lit_picture,
)

LIGHTS: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "exposure": lambda levels: 1.3 * levels, "pedestal": lambda levels: levels + 14.0,
    "development": lambda levels: 255.0 * (levels / 255.0) ** 0.85,
}  # fmt: skip


def picture(seed: int = 3) -> np.ndarray:
    """(H, W, 3) uint8 with levels from 30 to 180."""
    rng = np.random.default_rng(seed)
    ground = cv2.GaussianBlur(rng.uniform(0, 255, (240, 320, 3)).astype(np.float32), (0, 0), 9.0)
    return np.asarray(30 + 150 * (ground - ground.min()) / np.ptp(ground) + 0.5, np.uint8)


def places(levels: np.ndarray) -> np.ndarray:
    return levels[:240, :320].reshape(15, 16, 20, 16).swapaxes(1, 2).reshape(-1, 16, 16).astype(np.float32)


@pytest.mark.parametrize("light", LIGHTS)
def test_a_picture_is_brought_to_another_light(light: str) -> None:
    there = picture()
    here = np.asarray(np.clip(np.rint(LIGHTS[light](there.astype(float))), 0, 255), np.uint8)
    tables = light_tables(here, there)
    assert tables is not None
    assert np.abs(here.astype(float) - there).mean() > 8
    assert np.abs(here.astype(float) - lit_bytes(there, tables)).mean() < 1.0
    assert np.abs(here - 255 * lit_picture(there.astype(np.float32) / 255, tables)).mean() < 1.0


def test_in_the_same_light_there_is_none_to_bring_it_to_whatever_moves() -> None:
    here, there = picture(), picture()
    there[60:140, 100:200] = picture(4)[60:140, 100:200]  # a fifth shows another thing
    there[200:203] = 255
    assert light_tables(here, there) is None


def test_torn_lines_are_no_light() -> None:
    here, there = picture(), picture()
    here[::4] = 250
    assert light_tables(here, there) is None


@pytest.mark.parametrize("light", LIGHTS)
def test_noise_stays_in_the_difference_and_light_does_not(light: str) -> None:
    rng = np.random.default_rng(5)
    ground = picture()[..., 0].astype(float)
    one, other = (level + rng.normal(0, 4, ground.shape) for level in (ground, LIGHTS[light](ground)))
    apart, changed = difference_in_one_light(places(one), places(other), np.ones(300, np.bool_))
    assert changed > LEAST_CHANGE
    assert float(apart.std()) == pytest.approx(4 * 2**0.5, rel=0.05)
    assert abs(float(apart.mean())) < 0.3


def test_of_few_places_nothing_is_told() -> None:
    assert light_change(np.full(8, 90.0), np.full(8, 120.0)).levels == 0


def test_a_flash_is_not_the_usual_light_and_steady_flicker_is() -> None:
    assert in_usual_light([0.2, 0.1, 24.0, 23.0, 0.3]).tolist() == [True, True, False, False, True]
    assert in_usual_light([12.0, 9.0, 14.0, 11.0, 20.0]).all()


def lamp(shape: tuple[int, int], depth: float = 0.15) -> np.ndarray:
    """(H, W, 1) gains of a lamp that lights one corner more."""
    down, across = np.mgrid[0 : shape[0], 0 : shape[1]] / np.array(shape)[:, None, None]
    return np.asarray(1.0 + depth * np.exp(-4.0 * (np.square(down) + np.square(across))))[..., None]


def test_light_that_differs_in_one_part_is_followed_along_the_motion() -> None:
    wide = picture()
    there, moved = wide[:, :300], wide[:, 6:306]
    here = np.asarray(np.rint(moved * lamp(moved.shape[:2])), np.uint8)
    flow = np.zeros((*moved.shape[:2], 2), np.float32)
    flow[..., 0] = 6.0
    light = lighting_along(here, there, flow)
    assert light.differs
    off = [np.abs(here[:100, :100].astype(float) - one[:100, 6:106]).mean() for one in (there, light.on(there))]
    assert off[0] > 6.0
    assert off[1] < 0.35 * off[0]
    place = slice(20, 60), slice(40, 90)
    patch = light.over(there[place].astype(np.float32) / 255, place, there.shape[:2])
    assert np.abs(255 * patch - light.on(there)[place]).mean() < 1.0


def test_one_light_is_told_as_such_whatever_moves() -> None:
    here, there = picture(), picture()
    there[60:140, 100:200] = picture(4)[60:140, 100:200]
    assert not lighting_along(here, there, None).differs


def test_a_flash_is_not_followed() -> None:
    there = picture()
    here = np.asarray(np.clip(there.astype(float) + 60, 0, 235), np.uint8)
    assert lighting_along(here, there, None) is ALIKE


def test_nothing_is_lit_beyond_where_a_picture_clips() -> None:
    there = picture()
    here = np.asarray(np.clip(1.25 * there.astype(float), 0, 190), np.uint8)
    light = lighting_along(here, there, None)
    assert light.tables is not None
    assert light.on(there).max() <= 190
