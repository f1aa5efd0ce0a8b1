"""How many lines and columns carry a picture's detail: the size that would hold it as well.

At the strongest edges it is asked what is left when all that is finer than a smaller size could hold is taken out; in
plain places the same filters tell what noise does. The smallest size beyond which next to nothing is left carries the
picture. It says nothing of how a picture became soft: by its lens, by tape, or by enlarging.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.picture.resampling import LANCZOS, lanczos

Values = npt.NDArray[np.float64]

SHARES = np.array([0.25, 0.3, 0.35, 0.4, 0.45, 0.5, 0.55, 0.6, 0.667, 0.75, 0.85, 0.95])  # of the size that is declared
REACH = int(np.ceil(LANCZOS / SHARES[0]))  # samples on either side that the widest filter needs
EDGES, PLAIN = 0.03, 0.5  # share of the places that are edges, strongest first, and of those that are plain
ENOUGH = 200_000  # samples of a picture that are looked at along its lines, and along its columns
PLACES = 3000  # of either that are looked at
LEAST_EDGE = 20.0  # 8-bit levels from a line to the next but one, of an edge that can tell
LEFT_LEVELS = 1.5  # rms at edges, of what a smaller size would lose: next to nothing
LEFT_SHARE = 0.03  # of the edge's strength: so much interpolation itself leaves above the old size (tried by hand)
NO_WORD = (float("nan"), float("nan"))
LEAST_PX = 4 * REACH  # of a picture that is looked at


def carried(luma: Luma8) -> tuple[float, float]:
    """Shares of the lines and of the columns that carry a picture's detail.

    Args:
        luma: (H, W) uint8.

    Returns:
        0.25 to 1 each; NaN where no edge is strong enough to tell.
    """
    if min(luma.shape) < LEAST_PX:
        return NO_WORD
    plane = luma.astype(np.float32)
    step = max(1, round(luma.size / ENOUGH))  # lines that lie beside each other tell the same
    return _along(np.ascontiguousarray(plane[:, ::step])), _along(np.ascontiguousarray(plane[::step].T))


def _filters() -> Values:
    """(SHARES, 2 REACH + 1) what is finer than each size can hold: Lanczos at its width, taken off the sample."""
    distance = np.arange(-REACH, REACH + 1)
    coarse = lanczos(distance[None, :] * SHARES[:, None])
    coarse /= coarse.sum(axis=1, keepdims=True)
    return np.asarray((distance == 0) - coarse)


def _along(plane: npt.NDArray[np.float32]) -> float:
    """The share of the lines."""
    inner = plane[REACH:-REACH]
    step = np.abs(plane[REACH + 1 : len(plane) - REACH + 1] - plane[REACH - 1 : -REACH - 1])
    strength = cv2.GaussianBlur(step, (0, 0), 1.0).ravel()
    count = strength.size
    limits = np.partition(strength, [int(PLAIN * count), int((1 - EDGES) * count)])
    plain, edge = limits[int(PLAIN * count)], limits[int((1 - EDGES) * count)]
    chosen = [_some(np.flatnonzero(strength >= edge)), _some(np.flatnonzero(strength <= plain))]
    strong = float(strength[chosen[0]].mean())
    if strong < LEAST_EDGE:
        return float("nan")
    across = inner.shape[1]
    taps = _filters().T
    squares = [np.square(_segments(plane, places, across) @ taps).mean(axis=0) for places in chosen]
    left = np.sqrt(np.maximum(squares[0] - squares[1], 0.0))
    return _share(left / max(LEFT_LEVELS, LEFT_SHARE * strong))


def _some(places: npt.NDArray[np.intp]) -> npt.NDArray[np.intp]:
    """Evenly spread over all of them."""
    return places[:: max(1, len(places) // PLACES)]


def _segments(plane: npt.NDArray[np.float32], places: npt.NDArray[np.intp], across: int) -> npt.NDArray[np.float32]:
    """(N, 2 REACH + 1) samples above and below some places of the plane without its REACH lines at both ends."""
    rows, columns = places // across, places % across
    return np.asarray(plane[rows[:, None] + np.arange(2 * REACH + 1), columns[:, None]])


def _share(left: Values) -> float:
    """Where what is left comes down to next to nothing, which is 1, for good, between the sizes that were tried."""
    above = np.flatnonzero(left > 1.0)
    if not len(above):
        return float(SHARES[0])
    last = int(above[-1])
    if last + 1 == len(SHARES):
        return 1.0
    high, low = left[last], left[last + 1]
    part = (high - 1.0) / max(high - low, 1e-9)
    return float(SHARES[last] + part * (SHARES[last + 1] - SHARES[last]))
