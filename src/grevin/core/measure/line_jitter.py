"""Lines displaced sideways, each by its own amount: the time base of a tape that trembles.

A line is moved until it fits the mean of the lines above and below, by least squares over its changes (Lucas and Kanade
1981, along one axis, weighted against things that do not fit); all lines at once, a little at a time, from coarse to
fine. What goes on slowly from line to line is the picture's own: slanted edges, or a wobble that this cannot tell from
them. Lines on which hardly anything changes cannot be told and are left.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

Plane = npt.NDArray[np.float32]
Lines = npt.NDArray[np.float32]

COARSE_TO_FINE = (4.0, 4.0, 3.0, 3.0, 2.0, 2.0, 1.5, 1.5, 1.0, 1.0, 1.0, 1.0)  # px, standard deviation of a low-pass
QUICK = (3.0, 2.0, 1.0)  # the same for a figure that only compares
DAMPED = 0.5  # of what fits is moved at a time, for the lines beside are moved too
MOST_PX = 2.0  # at a time
SURE_PX = 0.1  # standard error up to which a line is believed
SLOW_LINES = 6.0  # standard deviation of what is slow from line to line
EDGE_PX = 8  # at the sides that are not looked at
TUNING = 1.5  # times the middle error, from which a pixel counts less
ROUNDING = 0.3  # 8-bit levels: errors are never smaller
SHARED_LINES = 12  # by which the picture may have moved up or down to the next one
LEAST_PX = 32  # of a side


def displacements(luma: Plane, passes: tuple[float, ...] = COARSE_TO_FINE) -> Lines:
    """(H,) px by which each line has to be looked up further right; 0 where it cannot be told.

    Args:
        luma: (H, W) float32, 8-bit levels; one field of interlaced pictures.
        passes: low-passes, from coarse to fine.
    """
    far = np.zeros(len(luma), np.float32)
    if min(luma.shape) < LEAST_PX:
        return far
    moved = luma
    for sigma in passes:
        far[1:-1] += np.float32(DAMPED) * np.clip(_misfits(moved, sigma), -MOST_PX, MOST_PX)
        moved = moved_lines(luma, far)
    return far - _slow(far)


def trembling(far: Lines, beside: Lines | None) -> float:
    """Standard deviation of what trembles in the displacements of a picture, px.

    What the picture itself looks like, such as the edge of a roof, comes again on the next one, perhaps some lines
    higher; a time base that trembles displaces each line anew.

    Args:
        far: (H,) px, of the picture.
        beside: of the one before or behind it; None where there is none, and all is taken for trembling.
    """
    own = far - far.mean()
    if beside is None:
        return float(own.std())
    other, lines = beside - beside.mean(), len(own)
    shared, most = 0.0, min(SHARED_LINES, lines - 1)
    for by in range(-most, most + 1):
        here, there = own[max(0, by) : lines + min(0, by)], other[max(0, -by) : lines - max(0, by)]
        shared = max(shared, float(np.dot(here, there)) / max(1, lines))
    return float(np.sqrt(max(0.0, (own.var() + other.var()) / 2 - shared)))


def moved_lines(plane: Plane, far: Lines) -> Plane:
    """(H, W) float32, each line looked up so many samples further right (cubic)."""
    height, width = plane.shape
    across = np.arange(width, dtype=np.float32)[None] + far[:, None]
    down = np.broadcast_to(np.arange(height, dtype=np.float32)[:, None], (height, width))
    made = cv2.remap(plane, across, np.ascontiguousarray(down), cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(made, np.float32)


def lines_of_plane(far: Lines, plane: Plane, luma: Plane) -> Lines:
    """Displacements of a plane's own lines, in its own samples, from those of luma."""
    down, across = -(-luma.shape[0] // plane.shape[0]), -(-luma.shape[1] // plane.shape[1])
    padded = np.pad(far, (0, plane.shape[0] * down - len(far)), mode="edge")
    return np.asarray(padded.reshape(-1, down).mean(axis=1) / across, np.float32)


def _misfits(picture: Plane, sigma: float) -> Lines:
    """(H - 2,) px by which each line misses the mean of those beside it; 0 where that is not sure."""
    soft = cv2.GaussianBlur(picture, (2 * round(3 * sigma) + 1, 1), sigma)
    own = soft[1:-1]
    error = (soft[:-2] + soft[2:]) * np.float32(0.5) - own
    change = np.zeros_like(own)
    change[:, 1:-1] = (own[:, 2:] - own[:, :-2]) * np.float32(0.5)
    size = np.median(np.abs(error[:, EDGE_PX:-EDGE_PX]), axis=1, keepdims=True) + np.float32(ROUNDING)
    weight = 1 / (1 + np.square(error / (np.float32(TUNING) * size)))
    weight[:, :EDGE_PX], weight[:, -EDGE_PX:] = 0.0, 0.0
    known = (weight * change * change).sum(axis=1)
    sure = size[:, 0] <= SURE_PX * np.sqrt(known)
    return np.where(sure, (weight * change * error).sum(axis=1) / np.maximum(known, 1e-3), 0).astype(np.float32)


def _slow(far: Lines) -> Lines:
    three = np.repeat(far[:, None], 3, axis=1)
    side = 2 * round(4 * SLOW_LINES) + 1
    return np.asarray(cv2.GaussianBlur(three, (1, side), 1.0, sigmaY=SLOW_LINES)[:, 1], np.float32)
