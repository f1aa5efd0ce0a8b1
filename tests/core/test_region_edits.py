"""Regions as a person draws them: handles, key frames, corrections of what follows the picture."""

from __future__ import annotations

import numpy as np
import pytest

from grevin.core.treatment.region_edits import (
    box_of,
    cut,
    drawn,
    handles,
    has_key,
    joined,
    moved,
    moved_everywhere,
    moving_line,
    pulled,
    with_key,
    without_key,
)
from grevin.core.treatment.regions import Region

BOX = Region(use="only", x=10, y=20, width=30, height=40)
THREE = Region(use="protect", shape="polygon", points=((0.0, 0.0), (20.0, 0.0), (10.0, 30.0)))


@pytest.mark.parametrize("shape", ["rectangle", "ellipse"])
def test_what_is_drawn_is_what_the_mask_covers(shape: str) -> None:
    region = BOX.model_copy(update={"shape": shape})
    mask = region.mask((100, 100))
    rows, columns = np.nonzero(mask)
    outline = drawn(region, 0)
    assert outline[:, 0].min() == pytest.approx(columns.min(), abs=1)
    assert outline[:, 0].max() == pytest.approx(columns.max() + 1, abs=1)
    assert outline[:, 1].min() == pytest.approx(rows.min(), abs=1)
    assert outline[:, 1].max() == pytest.approx(rows.max() + 1, abs=1)


@pytest.mark.parametrize(
    ("handle", "box"),
    [(0, (13, 24, 40, 60)), (1, (10, 24, 40, 60)), (3, (10, 20, 43, 60)), (4, (10, 20, 43, 64)), (7, (13, 20, 40, 60))],
)
def test_a_handle_moves_its_sides(handle: int, box: tuple[int, ...]) -> None:
    assert box_of(pulled(BOX, 5, handle, (3, 4)), 5) == box


def test_a_box_pulled_over_itself_keeps_a_pixel() -> None:
    left, top, right, bottom = box_of(pulled(BOX, 0, 0, (500, 500)), 0)
    assert (right - left, bottom - top) == (1, 1)


def test_a_corner_of_a_polygon_and_the_whole_of_it() -> None:
    assert pulled(THREE, 0, 2, (-4, 2)).points == ((0, 0), (20, 0), (6, 32))
    assert moved(THREE, 0, (5, 1)).points == ((5, 1), (25, 1), (15, 31))


@pytest.mark.parametrize("region", [BOX, THREE])
def test_key_frames_are_set_moved_and_taken_out(region: Region) -> None:
    keyed = moved(with_key(region, 10), 30, (20, 0))
    assert [key.frame for key in keyed.keys] == [10, 30]
    np.testing.assert_allclose(handles(keyed, 20), handles(region, 0) + np.array((10, 0)), atol=0.05)
    np.testing.assert_allclose(handles(keyed, 0), handles(region, 0), atol=0.05)
    assert has_key(keyed, 30)
    assert not has_key(keyed, 20)
    back = without_key(without_key(keyed, 10), 30)
    assert back.keys == ()
    np.testing.assert_allclose(handles(back, 0), handles(region, 0) + np.array((20, 0)), atol=0.6)


def test_what_follows_is_corrected_on_a_frame_and_goes_on_from_there() -> None:
    follows = BOX.model_copy(update={"follow": True, "first": 4})
    corrected = moved(follows, 20, (1, 0), shift=(40.0, 2.0))
    assert [key.frame for key in corrected.keys] == [4, 20]
    assert box_of(corrected, 4)[:2] == (10, 20)
    assert box_of(corrected, 20)[:2] == (51, 22)
    assert corrected.start(30) == 20
    assert moved(follows, 4, (3, 0)).keys == (), "on the frame from which it follows it is simply another place"


WAY = moving_line({10: np.array([(20.0, 5.0), (24.0, 95.0)]), 20: np.array([(40.0, 5.0), (44.0, 95.0)])}, 5.0)


def test_a_way_that_is_cut_lies_where_it_lay_and_is_whole_again_when_joined() -> None:
    before, behind = cut(WAY, 15)
    assert (before.first, before.last, behind.first, behind.last) == (10, 14, 15, 20)
    whole = joined(before, behind)
    assert (whole.first, whole.last) == (10, 20)
    for frame in range(10, 21):
        half = before if frame < 15 else behind
        np.testing.assert_allclose(half.outline(frame), WAY.outline(frame), atol=0.11)
        np.testing.assert_allclose(whole.outline(frame), WAY.outline(frame), atol=0.11)


def test_what_stands_or_follows_is_cut_too() -> None:
    for region in (BOX, BOX.model_copy(update={"follow": True, "first": 3})):
        before, behind = cut(region, 8)
        assert (before.last, behind.first) == (7, 8)
        np.testing.assert_allclose(handles(before, 5), handles(region, 5))
        np.testing.assert_allclose(handles(behind, 9), handles(region, 9))


def test_joined_ways_go_evenly_over_the_frames_between() -> None:
    straight = Region(use="only", shape="brush", points=((60.0, 0.0), (60.0, 50.0), (60.0, 100.0)), width_px=9.0)
    later = straight.model_copy(update={"first": 30, "last": 35})
    whole = joined(WAY, later)
    assert (whole.first, whole.last, whole.width_px) == (10, 35, 9.0)
    assert whole.outline(25)[1] == pytest.approx((WAY.outline(20)[:, 0].mean() / 2 + 30, 49.75), abs=0.6)
    np.testing.assert_allclose(whole.outline(33), straight.points, atol=0.11)


@pytest.mark.parametrize("other", [THREE, WAY, WAY.model_copy(update={"first": 40, "follow": True})])
def test_what_is_no_way_behind_another_is_not_joined(other: Region) -> None:
    with pytest.raises(ValueError, match="joined"):
        joined(WAY, other)


def test_what_is_moved_everywhere_moves_on_every_key_frame() -> None:
    nudged = moved_everywhere(WAY, (0.5, 0.0))
    for frame in (10, 14, 20):
        np.testing.assert_allclose(nudged.outline(frame), WAY.outline(frame) + np.array((0.5, 0.0)), atol=0.06)
    assert moved_everywhere(THREE, (1, 0)).points == moved(THREE, 0, (1, 0)).points
