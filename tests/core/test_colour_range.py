"""A range of colours: what it selects, and how steadily."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from grevin.core.measure.area import Box
from grevin.core.measure.colour_range import ColourRange, range_of, selected, steadiness
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame

RGB = PictureFormat(40, 30, "rgb", 8, full_range=True)


def patches(red: int = 200) -> Frame:
    planes = np.full((3, 30, 40), 60, np.uint8)
    planes[:, 5:15, 5:15] = np.array([red, 40, 40], np.uint8)[:, None, None]
    return Frame(0, RGB, tuple(planes))


def test_the_colours_of_a_box_are_selected_and_no_others() -> None:
    frame = patches()
    colours = range_of(frame, Box(6, 6, 6, 6), 10.0)
    assert (colours.red, colours.green, colours.blue) == pytest.approx((200, 40, 40), abs=1)
    mask = selected(frame, colours)
    assert mask[5:15, 5:15].all()
    assert mask.sum() == 100


def test_brightness_counts_by_a_third() -> None:
    frame = patches()
    grey = ColourRange(60, 60, 60, 10.0)
    lighter = frame.with_planes(
        tuple(np.clip(plane.astype(int) + 25, 0, 255).astype(np.uint8) for plane in frame.planes)
    )
    assert selected(lighter, grey).mean() > 0.9, "25 levels brighter"
    tinted = frame.with_planes((frame.planes[0], frame.planes[1] - np.uint8(25), frame.planes[2]))
    assert not selected(tinted, grey)[20:].any(), "25 levels less green"
    assert selected(tinted, replace(grey, reach=30.0))[20:].all()


def test_what_flips_from_frame_to_frame_is_counted() -> None:
    still = np.zeros((4, 10, 10), np.bool_)
    still[:, :5] = True
    found = steadiness(still)
    assert (found.share, found.flips) == (0.5, 0.0)
    still[1, :1] = False
    still[3, :1] = False
    found = steadiness(still)
    assert found.flips == pytest.approx(10 / 50), "a fifth, on each of three pairs"
    assert steadiness(iter([still[0]])).flips == 0.0
    assert steadiness([]).share == 0.0
