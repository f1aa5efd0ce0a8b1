"""Ways along the motion to the frames around, whose noise may be the frame's own."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np

from grevin.core.motion.flow import Flow, Luma8, positions
from grevin.core.motion.meaning import COARSE_NEAR_PX
from grevin.core.picture.levels import Plane
from grevin.core.steps.noise.holds import Holds
from grevin.core.steps.seen import Window
from grevin.core.steps.ways import ways

FARTHEST = 6  # frames to one with noise of its own, over which motion is taken for even
HELD_BACK_PX = 4.0  # beyond it, what flow compares (half size, blurred) has nothing of the noise in common
MET = 1.3  # times the noise of two frames, by which the same place differs at most


def ways_around(window: Window, holds: Holds, reach: int, variance: float) -> Iterator[tuple[int, Flow]]:
    """(offset, flow to it) of the frames around, so many a side; variance of the noise in squared 8-bit levels."""
    return ways(window, reach, lambda offset, side: _step(window, holds, offset, side, variance))


def _step(window: Window, holds: Holds, offset: int, side: int, variance: float) -> Flow:
    """Flow from a frame to the next on a side.

    Noise that both share holds it back. So it is part of the way to a frame with noise of its own, motion being taken
    for even in between, wherever what is found there differs by no more than noise.
    """
    here = window.at(offset)
    near = here.motion(side, "steady")
    if holds.of(offset + side) != holds.of(offset):
        return near
    for way in (side, -side):
        for far in range(1, FARTHEST + 1):
            if not window.has(offset + way * far):
                break
            if holds.of(offset + way * far) != holds.of(offset):
                whole = here.motion(way * far, "steady")
                part = np.asarray(whole * np.float32(way * side / far), np.float32)
                slow = np.hypot(part[..., 0], part[..., 1]) < HELD_BACK_PX
                met = (slow * _met(here.luma8(), here.luma8(way * far), whole, variance))[..., None]
                return np.asarray(met * part + (1 - met) * near, np.float32)
    return near


def _met(here: Luma8, there: Luma8, flow: Flow, variance: float) -> Plane:
    """(H, W) 0..1, where a flow leads to what differs by no more than noise."""
    moved = cv2.remap(there, *positions(flow), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    away = cv2.subtract(here.astype(np.float32), moved.astype(np.float32))
    apart = cv2.blur(cv2.multiply(away, away), (COARSE_NEAR_PX, COARSE_NEAR_PX))
    met = (apart < MET * 2.0 * variance).astype(np.float32)
    return np.asarray(cv2.blur(met, (COARSE_NEAR_PX, COARSE_NEAR_PX)), np.float32)
