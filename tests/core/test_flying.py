"""What flies is no dirt: three suspects on a line."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from grevin.core.steps.dirt.blobs import Blobs, find_blobs
from grevin.core.steps.dirt.features import BlobFeatures
from grevin.core.steps.dirt.flying import coming_back, elsewhere, flying, restless, table_of


def features(*rows: tuple[float, float, float, float]) -> BlobFeatures:
    """Blobs as (x, y, pixels, signed contrast) of their middles."""
    data = np.array(rows, np.float64).reshape(-1, 4)
    side = np.sqrt(data[:, 2]).astype(int)
    boxes = np.stack([data[:, 0] - side / 2, data[:, 1] - side / 2, side, side], axis=1)
    nothing = np.zeros(len(data))
    return BlobFeatures(
        data[:, 2], boxes, np.abs(data[:, 3]), np.sign(data[:, 3]), nothing, nothing, nothing, nothing
    )  # fmt: skip


HERE = (100.0, 80.0, 36.0, -40.0)


@pytest.mark.parametrize(
    ("before", "after", "flies"),
    [
        ((60, 70, 36, -40), (140, 90, 40, -36), True),  # straight on
        ((60, 70, 36, -40), (140, 130, 36, -40), False),  # off the line
        ((60, 70, 36, 40), (140, 90, 36, 40), False),  # brighter, not darker
        ((60, 70, 150, -40), (140, 90, 150, -40), False),  # another size
        ((60, 70, 36, -90), (140, 90, 36, -90), False),  # another contrast
        ((0, 70, 36, -40), (200, 90, 36, -40), False),  # too far
        ((100, 80, 36, -40), (100, 80, 36, -40), False),  # it does not move at all
    ],
)
def test_on_a_line_with_two_like_it(before, after, flies: bool) -> None:
    assert flying(features(HERE), table_of(features(before)), table_of(features(after)), True).tolist() == [flies]


def test_at_the_end_of_a_shot_both_lie_on_one_side() -> None:
    near, far = features((120, 85, 36, -40)), features((140, 90, 36, -40))
    assert flying(features(HERE), table_of(near), table_of(far), False).tolist() == [True]
    assert flying(features(HERE), table_of(near), table_of(far), True).tolist() == [False]


def test_one_drop_among_many_goes_with_them() -> None:
    drops = [(40.0 + 30 * n, 60.0, 36.0, 30.0) for n in range(4)]
    before = features(*((x - 10, y - 30, p, c) for x, y, p, c in drops[:3]))
    after = features(*((x + 10, y + 30, p, c) for x, y, p, c in drops[:3]))
    alone = (400.0, 60.0, 36.0, 30.0)
    found = flying(features(*drops, alone), table_of(before), table_of(after), True)
    assert found.tolist() == [True, True, True, True, False]


def test_nothing_to_compare_with() -> None:
    empty = table_of(features())
    assert flying(features(), empty, empty, True).shape == (0,)
    assert flying(features(HERE), empty, table_of(features(HERE)), True).tolist() == [False]


@pytest.mark.parametrize(
    ("before", "after", "way", "changes"),
    [
        (((103, 82, 20, 50),), ((98, 79, 30, -35),), (0.0, 0.0), True),  # a figure, and the next one
        (((103, 82, 20, 50),), ((98, 79, 5, -35), (99, 83, 5, 40)), (0.0, 0.0), True),  # in pieces
        (((103, 82, 20, 50),), (), (0.0, 0.0), False),  # on one of them alone
        (((103, 82, 20, 50),), ((98, 79, 5, -35),), (0.0, 0.0), False),  # much smaller
        (((103, 82, 20, 50),), ((98, 79, 30, -15),), (0.0, 0.0), False),  # much fainter
        (((120, 82, 20, 50),), ((98, 79, 30, -35),), (0.0, 0.0), False),  # elsewhere
        (((90, 80, 20, 50),), ((110, 80, 30, -35),), (10.0, 0.0), True),  # a sign that the camera goes past
    ],
)
def test_where_something_changes_all_the_time_is_no_dirt(before, after, way, changes: bool) -> None:
    others = ((-1, table_of(features(*before))), (1, table_of(features(*after))))
    assert restless(features(HERE), others, np.array([way])).tolist() == [changes]


def blob_at(place: tuple[int, int], size: int = 8) -> tuple[Blobs, BlobFeatures]:
    spike = np.zeros((120, 160), np.uint8)
    spike[place[1] : place[1] + size, place[0] : place[0] + size] = 90
    blobs = find_blobs(spike, spike, 4.0)
    half = size / 2
    return blobs, features((place[0] + half, place[1] + half, float(size * size), 90.0))


def with_square(place: tuple[int, int], size: int = 8) -> np.ndarray:
    picture = np.full((120, 160), 60, np.uint8)
    picture[place[1] : place[1] + size, place[0] : place[0] + size] = 150
    return picture


@pytest.mark.parametrize(
    ("shown_at", "way", "back"),
    [
        ([-3, 3], (0.0, 0.0), True),  # spokes: at the same place three frames on
        ([3], (0.0, 0.0), False),  # once may be chance
        ([], (0.0, 0.0), False),  # dirt
        ([-2, 2], (2.0, 0.0), True),  # at the same place of a picture that moves
        ([-4, -3, -2, 2, 3, 4], (9.0, 0.0), True),  # a border that stands still while the picture moves
    ],
)
def test_what_comes_back_is_no_dirt(shown_at: list[int], way: tuple[float, float], back: bool) -> None:
    blobs, measured = blob_at((70, 50))
    moves = way if way[0] < 5 else (0.0, 0.0)
    others = []
    for offset in (-4, -3, -2, 2, 3, 4):
        there = (round(70 + offset * moves[0]), 50)
        others.append((offset, with_square(there) if offset in shown_at else np.full((120, 160), 60, np.uint8)))
    asked = np.ones(1, np.bool_)
    found = coming_back(blobs, measured.contrast, asked, with_square((70, 50)), others, np.array([way]))
    assert found.tolist() == [back]


@pytest.mark.parametrize(
    ("before", "after", "offsets", "flies"),
    [
        ((40, 60), (100, 44), (-1, 1), True),  # it goes its way
        ((40, 60), None, (-1, 1), False),  # on one frame only
        ((34, 30), (30, 70), (-1, 1), False),  # by chance: it would have to turn back
        ((95, 44), (124, 38), (1, 2), True),  # at the end of a shot
    ],
)
def test_a_large_thing_on_both_frames_beside_is_no_dirt(before, after, offsets, flies: bool) -> None:
    here, asked = with_square((70, 50), 14), np.ones(1, np.bool_)
    blobs, measured = blob_at((70, 50), 14)
    empty = np.full((120, 160), 60, np.uint8)
    pair = (with_square(before, 14), empty if after is None else with_square(after, 14))
    assert elsewhere(blobs, measured, asked, here, pair, (empty, empty), offsets).tolist() == [flies]


def test_small_things_are_alike_by_chance() -> None:
    small, told = blob_at((70, 50), 5)
    pair = (with_square((40, 60), 5), with_square((100, 44), 5))
    asked, empty = np.ones(1, np.bool_), np.full((120, 160), 60, np.uint8)
    here = with_square((70, 50), 5)
    assert elsewhere(small, told, asked, here, pair, (empty, empty), (-1, 1)).tolist() == [False]


@pytest.mark.parametrize(("lost_by", "flies"), [(4, True), (0, False)])
def test_lettering_that_moves_by_parts_of_a_pixel_need_fit_no_better_than_the_motion_fails(lost_by, flies) -> None:
    def lettered(right: float) -> np.ndarray:
        picture = np.full((120, 160), 60, np.float32)
        picture[50:64, 68:88] = np.where(np.arange(20) // 4 % 2 == 0, 150, 40)
        move = np.array([[1.0, 0.0, right], [0.0, 1.0, 0.0]])
        return np.rint(cv2.warpAffine(cv2.GaussianBlur(picture, (0, 0), 1.2), move, (160, 120))).astype(np.uint8)

    blobs, _ = blob_at((70, 50), 14)
    here, pair = lettered(0), (lettered(-6.7), lettered(6.7))
    moved = tuple(np.roll(here, lost_by, axis=1) if lost_by else here - 20 for _ in range(2))
    faint = features((77, 57, 196, 20.0))
    found = elsewhere(blobs, faint, np.ones(1, np.bool_), here, pair, moved, (-1, 1))
    assert found.tolist() == [flies]


@pytest.mark.parametrize(("edge", "goes_along"), [(30, True), (50, False)])
def test_the_blurred_edge_of_a_thing_that_is_found_goes_with_it_unless_it_is_most(edge: int, goes_along: bool) -> None:
    core, around = (slice(50, 64), slice(70, 84)), (slice(45, 69), slice(65, 89))
    spike, here = np.zeros((120, 160), np.uint8), with_square((70, 50), 14)
    spike[around], here[around] = edge, np.maximum(here[around], 60 + edge)
    spike[core] = 90
    blobs = find_blobs(spike, spike, 12.0)
    assert blobs.level.tolist() == [0, 2 if edge == 30 else 3]
    measured = features((77, 57, 576, float(spike[around].mean())), (77, 57, 196, 90))
    pair = []
    for x, y in ((40, 60), (100, 44)):  # there the edge is less bright, as another background makes it
        there = with_square((x, y), 14)
        halo = there[y - 5 : y + 19, x - 5 : x + 19]
        np.maximum(halo, max(60, 25 + edge), out=halo)
        pair.append(there)
    empty = np.full((120, 160), 60, np.uint8)
    found = elsewhere(blobs, measured, np.ones(2, np.bool_), here, (pair[0], pair[1]), (empty, empty), (-1, 1))
    assert found.tolist() == [goes_along, True]
