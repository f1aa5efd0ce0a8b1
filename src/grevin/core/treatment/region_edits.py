"""Regions as they are drawn: their outline on a frame, and another one that a person gives them there."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np
import numpy.typing as npt

from grevin.core.treatment.regions import STANDING, Region, RegionKey, Shift

Points = npt.NDArray[np.float64]  # (N, 2), x and y in pixels of the reel; pixel i reaches from i to i + 1

ELLIPSE_POINTS = 48
LEAST_PX = 1.0  # across or down


def box_of(region: Region, frame: int, shift: Shift = STANDING) -> tuple[float, float, float, float]:
    """Left, top, right and bottom of a rectangle or ellipse on a frame."""
    (x, y), (width, height) = region.outline(frame)
    return x + shift[0], y + shift[1], x + width + shift[0], y + height + shift[1]


def handles(region: Region, frame: int, shift: Shift = STANDING) -> Points:
    """Points by which a region is taken hold of: corners; of a box also middles of sides."""
    if region.has_points:
        return np.asarray(region.outline(frame) + shift + 0.5, np.float64)
    left, top, right, bottom = box_of(region, frame, shift)
    middle, centre = (left + right) / 2, (top + bottom) / 2
    return np.array([
        (left, top), (middle, top), (right, top), (right, centre),
        (right, bottom), (middle, bottom), (left, bottom), (left, centre),
    ])  # fmt: skip


def drawn(region: Region, frame: int, shift: Shift = STANDING) -> Points:
    """The outline as a closed line of points; of a brush its way, there and back."""
    held = handles(region, frame, shift)
    if region.shape == "polygon":
        return held
    if region.shape == "brush":
        return np.concatenate([held, held[-2:0:-1]])
    if region.shape == "rectangle":
        return held[::2]
    left, top, right, bottom = box_of(region, frame, shift)
    turn = np.linspace(0, 2 * np.pi, ELLIPSE_POINTS, endpoint=False)
    across, down = (right - left) / 2, (bottom - top) / 2
    return np.column_stack([(left + right) / 2 + across * np.cos(turn), (top + bottom) / 2 + down * np.sin(turn)])


def moving_box(
    places: Iterable[tuple[int, tuple[float, float, float, float]]], feather_px: float
) -> Region:  # fmt: skip
    """A region inside which alone a step acts, from its left, top, width and height on some frames of the reel."""
    keys = tuple(RegionKey(frame=frame, x=x, y=y, width=w, height=h) for frame, (x, y, w, h) in places)
    return Region(use="only", feather_px=feather_px, keys=keys)


def moving_line(places: Mapping[int, Points], width_px: float) -> Region:
    """A way of a brush that has key frames from the first to the last of some frames, by its points on each."""
    frames = sorted(places)
    keys = tuple(RegionKey(frame=frame, points=_corners(places[frame])) for frame in frames)
    held = {"first": frames[0], "last": frames[-1]}
    return Region(use="only", shape="brush", points=keys[0].points, width_px=width_px, keys=keys, **held)


def moved(region: Region, frame: int, by: tuple[float, float], shift: Shift = STANDING) -> Region:
    """The region moved as a whole on a frame."""
    return placed(region, frame, handles(region, frame, shift) + by)


def pulled(region: Region, frame: int, handle: int, by: tuple[float, float], shift: Shift = STANDING) -> Region:
    """The region with one of its handles moved on a frame."""
    points = handles(region, frame, shift)
    if region.has_points:
        points[handle] += by
        return placed(region, frame, points)
    left, top, right, bottom = box_of(region, frame, shift)
    if handle in {0, 6, 7}:
        left = min(left + by[0], right - LEAST_PX)
    if handle in {2, 3, 4}:
        right = max(right + by[0], left + LEAST_PX)
    if handle in {0, 1, 2}:
        top = min(top + by[1], bottom - LEAST_PX)
    if handle in {4, 5, 6}:
        bottom = max(bottom + by[1], top + LEAST_PX)
    return placed(region, frame, np.array([(left, top), (right, bottom)]))


def placed(region: Region, frame: int, points: Points) -> Region:
    """The region where a person wants it on a frame: a key frame there, if it has any or follows the picture.

    Args:
        region: as it is.
        frame: of the reel.
        points: of a polygon or brush; of a box any points that reach to its sides.
    """
    follows_on = region.follow and frame != region.start(frame)
    if region.keys or follows_on:
        key = _key(region, frame, points)
        first = () if region.keys else (_key(region, region.first or 0, handles(region, region.first or 0)),)
        return _with_keys(region, (*first, *(one for one in region.keys if one.frame != frame), key))
    if region.has_points:
        return region.model_copy(update={"points": _corners(points)})
    (left, top), (right, bottom) = np.rint(points.min(axis=0)), np.rint(points.max(axis=0))
    size = {"width": max(1, int(right - left)), "height": max(1, int(bottom - top))}
    return region.model_copy(update={"x": int(left), "y": int(top), **size})


def with_key(region: Region, frame: int, shift: Shift = STANDING) -> Region:
    """The region with a key frame where it lies now."""
    others = tuple(one for one in region.keys if one.frame != frame)
    return _with_keys(region, (*others, _key(region, frame, handles(region, frame, shift))))


def without_key(region: Region, frame: int) -> Region:
    """The region without its key frame on a frame; without the last one it stands where it was."""
    left = tuple(one for one in region.keys if one.frame != frame)
    if left or not region.keys:
        return _with_keys(region, left)
    return placed(region.model_copy(update={"keys": (), "follow": False}), frame, handles(region, frame)).model_copy(
        update={"follow": region.follow}
    )


def moved_everywhere(region: Region, by: tuple[float, float]) -> Region:
    """The region moved as a whole on all its frames."""
    keys = tuple(_key(region, key.frame, handles(region, key.frame) + by) for key in region.keys)
    return _with_keys(region, keys) if keys else moved(region, region.first or 0, by)


def cut(region: Region, frame: int) -> tuple[Region, Region]:
    """The region up to the frame before this one, and from it on; each lies where the whole one did."""
    if region.follow:  # between its key frames it goes with the picture: no more of them can be told here
        return region.model_copy(update={"last": frame - 1}), region.model_copy(update={"first": frame})
    halves = region, region
    if region.keys:
        halves = with_key(region, frame - 1), with_key(region, frame)
    before = tuple(key for key in halves[0].keys if key.frame < frame)
    behind = tuple(key for key in halves[1].keys if key.frame >= frame)
    return (
        halves[0].model_copy(update={"keys": before, "last": frame - 1}),
        halves[1].model_copy(update={"keys": behind, "first": frame}),
    )


def joined(one: Region, other: Region) -> Region:
    """Two ways of a brush, the first of which ends before the other begins, as one; evenly over the frames between.

    Raises:
        ValueError: where they are no such ways.
    """
    ways = one.shape == other.shape == "brush" and not one.follow and not other.follow
    if not ways or one.last is None or other.first is None or one.last >= other.first:
        raise ValueError("only ways of a brush that lie behind one another are joined")
    count = max(len(one.points), len(other.points))
    keys = [
        RegionKey(frame=frame, points=_corners(_spread(handles(part, frame), count)))
        for part in (one, other)
        for frame in sorted({part.first or 0, *(key.frame for key in part.keys), part.last or part.first or 0})
        if part.holds(frame)
    ]
    size = {"points": keys[0].points, "width_px": max(one.width_px, other.width_px), "last": other.last}
    return _with_keys(one.model_copy(update=size), tuple(keys))


def _spread(points: Points, count: int) -> Points:
    """The same way through so many points."""
    at = np.linspace(0, len(points) - 1, count)
    return np.stack([np.interp(at, np.arange(len(points)), points[:, axis]) for axis in (0, 1)], axis=1)


def ends_before_it_begins(region: Region) -> bool:
    """Whether it would hold on no frame at all."""
    return region.first is not None and region.last is not None and region.first > region.last


def has_key(region: Region, frame: int) -> bool:
    """Whether a frame is one of its key frames."""
    return any(key.frame == frame for key in region.keys)


def _with_keys(region: Region, keys: tuple[RegionKey, ...]) -> Region:
    return region.model_copy(update={"keys": tuple(sorted(keys, key=lambda key: key.frame))})


def _key(region: Region, frame: int, points: Points) -> RegionKey:
    if region.has_points:
        return RegionKey(frame=frame, points=_corners(points))
    (left, top), (right, bottom) = points.min(axis=0), points.max(axis=0)
    numbers = (round(float(value), 1) for value in (left, top, right - left, bottom - top))
    x, y, width, height = numbers
    return RegionKey(frame=frame, x=x, y=y, width=max(LEAST_PX, width), height=max(LEAST_PX, height))


def _corners(points: Points) -> tuple[tuple[float, float], ...]:
    return tuple((round(float(x) - 0.5, 1), round(float(y) - 0.5, 1)) for x, y in points)
