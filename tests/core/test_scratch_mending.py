"""One scratch that is known: brought to its middle, and mended by what is left, other frames and its flanks."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from scipy.special import expit

from grevin.core.quality.figures import psnr, squared_error
from grevin.core.steps.scratch.centring import centred, widened
from grevin.core.steps.scratch.lines import Line as Found
from grevin.core.steps.scratch.mending import (
    Other,
    _beside,
    _covering,
    _follows,
    _opaque,
    _steady,
    mend_line,
    over_rows,
)


def test_the_flanks_are_joined_where_nothing_is_left() -> None:
    picture = np.full((60, 40, 3), 0.4, np.float32) + np.linspace(0, 0.2, 40, dtype=np.float32)[None, :, None]
    right = picture.copy()
    picture[:, 18:22] = 1.0
    done = mend_line(picture, Found(0, np.full(60, 19.5), 4, False, 1.0, 0), (3, 3), list)
    assert done.opaque == pytest.approx(1.0)
    assert np.abs(picture - right).max() < 0.02


def beside_itself(rng: np.random.Generator, noise: float) -> tuple[np.ndarray, np.ndarray, Other]:
    """A rough picture, the same with other noise, and that as another frame that shows it where it is."""
    rough = cv2.GaussianBlur(rng.normal(0, 1, (120, 60)).astype(np.float32), (0, 0), 1.2)
    right = np.repeat((0.45 + 0.12 * rough / rough.std())[..., None], 3, axis=2).astype(np.float32)
    here, there = (right + rng.normal(0, noise, (*right.shape[:2], 1)).astype(np.float32) for _ in range(2))
    flow, nothing = np.zeros((120, 60, 2), np.float32), np.zeros((120, 60), np.bool_)
    return here, here.copy(), Other(there, flow, nothing)


@pytest.mark.parametrize("depth", [0.12, -0.12, None])
def test_what_another_frame_shows_tells_how_deep_a_scratch_is(depth: float | None) -> None:
    """A depth that changes down a rough picture; None for a scratch that hides it: dB within it, with and without."""
    rng = np.random.default_rng(8)
    here, right, other = beside_itself(rng, 0.012)
    inside = (slice(None), slice(28, 32))
    if depth is None:
        here[inside] = 0.95
    else:
        here[inside] += (depth * (1 + 0.5 * np.sin(np.arange(120) / 9.0)))[:, None, None].astype(np.float32)
    found = Found(0, np.full(120, 29.5), 4, False, 1.0, 0)
    made = {}
    for name, others in (("alone", []), ("beside", [other])):
        picture = here.copy()
        done = mend_line(picture, found, (3, 3), lambda others=others: others)
        made[name] = psnr(*squared_error(255 * picture[inside], 255 * right[inside]))
        assert np.array_equal(picture[:, :25], here[:, :25])
    assert made["beside"] > made["alone"] + 4
    assert (done.opaque > 0.9) == (depth is None)


@pytest.mark.parametrize(("way", "slope"), [("shallow", 1.0), ("opaque", 0.0), ("half", 0.5), ("even", np.nan)])
def test_the_picture_shines_through_what_is_shallow(way: str, slope: float) -> None:
    """A scratch over a picture that gets brighter down its way; over an even one nothing can be told."""
    ramp = np.linspace(0.3, 0.6, 200, dtype=np.float32) if way != "even" else np.full(200, 0.4, np.float32)
    flanks = np.repeat(np.repeat(ramp[:, None, None], 4, axis=1), 3, axis=2)
    core = {"shallow": flanks + 0.2, "opaque": 0 * flanks + 0.9, "half": 0.5 * flanks + 0.4, "even": flanks}[way]
    follows, off_by = _follows(core, flanks)
    assert follows == pytest.approx(slope, abs=0.02, nan_ok=True)
    assert not off_by > 0.02


def test_sums_that_run_over_rows_end_nowhere_below_nothing() -> None:
    """As they do in OpenCV, where what was large is taken off again; the root of that was no number."""
    rng = np.random.default_rng(0)
    for _ in range(40):
        values = np.zeros((600, 2))
        first, last = np.sort(rng.integers(0, 600, 2))
        values[first:last] = 10.0 ** rng.uniform(-9, 0, (last - first, 2))
        assert over_rows(values, 21).min() >= 0


def test_a_frame_that_shows_something_else_is_not_believed() -> None:
    rng = np.random.default_rng(9)
    here, right, other = beside_itself(rng, 0.012)
    here[:, 28:32] += 0.12
    wrong = replace(other, rgb=np.ascontiguousarray(other.rgb[::-1]))
    made = []
    for others in ([], [wrong]):
        picture = here.copy()
        mend_line(picture, Found(0, np.full(120, 29.5), 4, False, 1.0, 0), (3, 3), lambda others=others: others)
        made.append(psnr(*squared_error(255 * picture[:, 28:32], 255 * right[:, 28:32])))
    assert made[1] > made[0] - 0.3


@pytest.mark.parametrize(("found_px", "beside", "wide"), [(3, 0.0, True), (9, 0.0, False), (3, 0.5, False)])
def test_a_line_is_as_wide_as_its_profile_where_that_can_be_told(found_px: int, beside: float, wide: bool) -> None:
    picture = np.full((80, 60, 3), 0.3, np.float32)
    picture[:, 27:34] = 0.9
    picture[:, 37:39] += beside
    line = widened(picture, Found(0, np.full(80, 29.0), found_px, False, 1.0, 0))
    assert (line.width, float(line.centre[0])) == ((7, 30.0) if wide else (found_px, 29.0))


def test_a_line_beside_a_black_border_stays_narrow_and_in_its_place() -> None:
    picture = np.full((80, 60, 3), 0.35, np.float32)
    picture[:, 36:38] += 0.05
    picture[:, 47:] = 0.0
    found = Found(0, np.full(80, 36.0), 1, False, 1.0, 0)
    assert widened(picture, found).width == 1
    assert float(np.abs(centred(picture, found).centre - 36.5).max()) < 1


@pytest.mark.parametrize("depth", [0.6, 0.15])
def test_a_line_that_bends_is_followed_to_a_part_of_a_px(depth: float) -> None:
    rng = np.random.default_rng(11)
    bent = 40.0 + 1.2 * np.sin(np.arange(240) / 40.0)
    picture = 0.3 + rng.normal(0, 0.012, (240, 80, 3)).astype(np.float32)
    picture += depth * expit((1.5 - np.abs(np.arange(80) - bent[:, None])) / 0.35)[..., None].astype(np.float32)
    line = centred(picture, Found(0, np.full(240, 40.0), 3, False, 1.0, 0))
    assert float(np.abs(line.centre - bent).mean()) < 0.1


def test_what_stands_beside_a_line_does_not_draw_it_aside() -> None:
    rng = np.random.default_rng(12)
    picture = 0.3 + rng.normal(0, 0.012, (240, 80, 3)).astype(np.float32)
    picture[:, 39:42] += 0.08
    picture[60:110, 42:46] += 0.3  # of the picture, along a fifth of it
    line = centred(picture, Found(0, np.full(240, 40.0), 3, False, 1.0, 0))
    assert float(np.abs(line.centre - 40.0).mean()) < 0.3


def test_bars_under_part_of_a_scratch_are_not_taken_for_its_depth() -> None:
    """A fence takes more than half of the way of a scratch, which lies on one of its bars."""
    rng = np.random.default_rng(14)
    picture = (0.5 + rng.normal(0, 0.012, (240, 120, 3))).astype(np.float32)
    for bar in range(4, 120, 14):
        picture[100:, bar : bar + 5] -= 0.2
    shape = np.zeros((13, 3), np.float32)
    shape[4:9] = -0.3
    by_picture = _beside(picture, Found(0, np.full(240, 62.0), 5, True, 1.0, 0), shape, 4)
    assert by_picture[:80].max() < 0.1**2 < 0.3**2 < by_picture[120:].min()
    depth, unsure = np.where(np.arange(240) < 100, 0.35, 1.05).astype(np.float32), np.zeros(240, np.bool_)
    made = _steady(depth, unsure, by_picture)
    assert np.abs(made[:80] - 0.35).max() < 0.05
    assert made[120:].max() < 0.65
    assert _steady(depth, unsure, np.full(240, 0.02**2, np.float32))[130:].min() > 1.0  # where it can be told it is so


def test_how_far_a_scratch_covers_is_told_where_its_depth_changes_its_sign() -> None:
    """White over dark and over white: what it adds is nothing in the mean, and it covers all the same."""
    rng = np.random.default_rng(15)
    right = np.repeat(rng.uniform(0.1, 0.9, (200, 1, 3)), 21, axis=1).astype(np.float32)
    share = np.zeros(21, np.float32)
    share[8:13] = 0.5, 1.0, 1.0, 1.0, 0.5
    cover = _covering((0.5 - right) * share[None, :, None])
    assert np.abs(cover - share).max() < 0.02


@pytest.mark.parametrize("wide", [3, 4])
def test_beside_what_a_scratch_covers_the_picture_is_kept(wide: int) -> None:
    rng = np.random.default_rng(13)
    right = rng.uniform(0.2, 0.5, (200, 60, 3)).astype(np.float32)
    worn = right.copy()
    worn[:, 29 : 29 + wide] = 1.0
    mend_line(worn, Found(0, np.full(200, 28.5 + wide / 2), 3, False, 1.0, 0), (4, 4), list)
    beside = [26, 27, 34]  # of what is mended, and not covered
    assert psnr(*squared_error(255 * worn[:, beside], 255 * right[:, beside])) > 35


@pytest.mark.parametrize(("textured", "share"), [(80, 1.0), (30, 0.3)])
def test_what_cuts_to_the_base_does_so_all_along(textured: int, share: float) -> None:
    """Where the flanks are flat nothing tells whether a scratch hides the picture: most of its rows do."""
    rng = np.random.default_rng(4)
    values = np.full((120, 12, 3), 0.4, np.float32)
    values[:textured] += rng.normal(0, 0.05, (textured, 12, 1)).astype(np.float32)
    offsets = np.arange(12) - 5
    inner = np.abs(offsets) <= 3
    values[:, inner] = 0.8
    values += rng.normal(0, 0.005, values.shape).astype(np.float32)
    opaque = _opaque(values, np.abs(offsets) <= 1, values - 0.4, inner)
    assert opaque.mean() == pytest.approx(share, abs=0.08)
