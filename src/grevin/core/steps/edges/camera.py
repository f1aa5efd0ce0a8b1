"""The way of the camera over a shot: from each frame to the next, as one affine map for all that stands still."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow
from grevin.core.progress import Progress

Map = npt.NDArray[np.float64]  # (2, 3): where a pixel (x, y) of a frame lies in another one
EVERY_PX = 12  # places at which motion is looked at
ROUNDS = 6  # of fitting
APART_PX = 0.7  # distance at which a place counts half
AGREES_PX, LEAST_AGREES = 1.0, 0.4  # share of the places that have to move so: else things move, not the camera


def ways(frames: range, flow: Callable[[int], Flow], progress: Progress) -> npt.NDArray[np.float64]:
    """(N - 1, 2, 3) from each frame of a shot to the next; NaN where no way of a camera is to be seen."""
    progress.begin(len(frames), "Following the camera")
    found = []
    for number in frames[:-1]:
        found.append(way_of(flow(number)))
        progress.advance()
    return np.array(found).reshape(-1, 2, 3)


def way_of(flow: Flow) -> Map:
    """The affine map that most places of a flow agree on, by least squares that forget what is apart."""
    height, width = flow.shape[:2]
    down, across = np.mgrid[EVERY_PX // 2 : height : EVERY_PX, EVERY_PX // 2 : width : EVERY_PX].reshape(2, -1)
    places = np.column_stack([across, down, np.ones_like(across)]).astype(np.float64)
    moves = flow[down, across].astype(np.float64)
    weights = np.ones(len(places))
    parts: Map = np.zeros((3, 2))
    for _ in range(ROUNDS):
        weighted = places * weights[:, None]
        parts = np.asarray(np.linalg.lstsq(weighted.T @ places, weighted.T @ moves, rcond=None)[0], np.float64)
        apart = np.hypot(*(moves - places @ parts).T)
        weights = 1.0 / (1.0 + np.square(apart / APART_PX))
    if np.mean(apart < AGREES_PX) < LEAST_AGREES:
        return np.full((2, 3), np.nan)
    return np.asarray(parts.T + np.eye(2, 3))


def chained(steps: npt.NDArray[np.float64], place: int, offset: int) -> Map | None:
    """Where pixels of a frame lie in the one so many frames away; None where the way is not known.

    Args:
        steps: of `ways`.
        place: of the frame in the shot.
        offset: to the other one.
    """
    if not 0 <= place + offset <= len(steps):
        return None
    low, high = sorted((place, place + offset))
    if np.isnan(steps[low:high]).any():
        return None
    total = np.eye(3)
    for step in steps[low:high]:
        total = np.vstack([step, [0, 0, 1]]) @ total
    return np.asarray((total if offset >= 0 else np.linalg.inv(total))[:2])


def of_field(way: Map) -> Map:
    """The same in the lines of one field."""
    scale = np.diag([1.0, 0.5, 1.0])
    return np.asarray((scale @ np.vstack([way, [0, 0, 1]]) @ np.linalg.inv(scale))[:2])
