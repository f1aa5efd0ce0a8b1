"""Ways along the motion to the frames around, whose noise may be the frame's own."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np

from grevin.core.motion.flow import Flow, Luma8, positions
from grevin.core.motion.meaning import COARSE_NEAR_PX, chained
from grevin.core.picture.levels import Plane
from grevin.core.steps.noise.holds import Holds
from grevin.core.steps.seen import Window

FARTHEST = 6  # frames over which motion is looked for at once
MET = 1.3  # times the noise of two frames, by which the same place differs at most


def ways_around(window: Window, holds: Holds, reach: int, variance: float) -> Iterator[tuple[int, Flow]]:
    """(offset, flow to it) of the frames around, nearest first on each side.

    Each is reached by the nearest frame that has its noise, and those one from the other.

    Args:
        window: on the frame.
        holds: of its shot.
        reach: frames a side.
        variance: of the noise, squared 8-bit levels.
    """
    for side in (-1, 1):
        nearest, to_nearest = 0, None
        way: Flow | None = None
        for offset in range(side, side * (reach + 1), side):
            if not window.has(offset):
                break
            if holds.of(offset) == holds.of(nearest):
                way = _and(way, _within(window, holds, offset - side, side, variance))
            elif abs(offset - nearest) <= FARTHEST:
                way = _and(to_nearest, window.at(nearest).motion(offset - nearest, "steady"))
            else:
                way = _and(way, window.at(offset - side).motion(side, "steady"))
            if holds.of(offset) != holds.of(nearest):
                nearest, to_nearest = offset, way
            yield offset, way


def _and(way: Flow | None, more: Flow) -> Flow:
    return more if way is None else chained(way, more)


def _within(window: Window, holds: Holds, offset: int, side: int, variance: float) -> Flow:
    """Flow from a frame to the next on a side, which shares its noise.

    That would hold it back. So it leads by the nearest frame with noise of its own, wherever what is found like this
    differs by no more than noise.
    """
    here = window.at(offset)
    near = here.motion(side, "steady")
    away = [found for way in (side, -side) if (found := _change(window, holds, offset, way)) is not None]
    if not away:
        return near
    far = min(away, key=lambda one: abs(one) + abs(one - side))
    by_far = chained(here.motion(far, "steady"), window.at(offset + far).motion(side - far, "steady"))
    met = _met(here.luma8(), here.luma8(side), by_far, variance)[..., None]
    return np.asarray(met * by_far + (1 - met) * near, np.float32)


def _change(window: Window, holds: Holds, offset: int, way: int) -> int | None:
    """How far from a frame its noise changes on a side."""
    for far in range(way, way * (FARTHEST + 1), way):
        if not window.has(offset + far):
            return None
        if holds.of(offset + far) != holds.of(offset):
            return far
    return None


def _met(here: Luma8, there: Luma8, flow: Flow, variance: float) -> Plane:
    """(H, W) 0..1, where a flow leads to what differs by no more than noise."""
    moved = cv2.remap(there, *positions(flow), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    away = cv2.subtract(here.astype(np.float32), moved.astype(np.float32))
    apart = cv2.blur(cv2.multiply(away, away), (COARSE_NEAR_PX, COARSE_NEAR_PX))
    met = (apart < MET * 2.0 * variance).astype(np.float32)
    return np.asarray(cv2.blur(met, (COARSE_NEAR_PX, COARSE_NEAR_PX)), np.float32)
