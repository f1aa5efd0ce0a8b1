"""Dense motion by inverse search, as in OpenCV.

Kroeger, Timofte, Dai, Van Gool 2016, doi:10.1007/978-3-319-46493-0_29.
"""

from __future__ import annotations

import threading
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

Luma8 = npt.NDArray[np.uint8]
Flow = npt.NDArray[np.float32]

SMALLEST_SIDE = 16  # pictures below this have no motion that can be estimated
COARSE_PX = 4  # grid on which motion is continued where it is not to be trusted
LEAST_KNOWN = 0.05  # share of a cell that must be known for its own mean
POINTS_A_ROW = 1024  # OpenCV reads tables of positions, not lists
_estimators = threading.local()


def _estimator() -> Any:
    """One estimator a thread: it holds buffers and must not be shared."""
    if not hasattr(_estimators, "dis"):
        _estimators.dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    return _estimators.dis


def estimate_flow(here: Luma8, there: Luma8) -> Flow:
    """Where each pixel of `here` is found in `there`.

    Args:
        here: (H, W) uint8 luma.
        there: (H, W) uint8 luma of another frame.

    Returns:
        (H, W, 2) float32 displacement (right, down) in pixels: here(x) ~ there(x + flow(x)).
    """
    if min(here.shape) < SMALLEST_SIDE:
        return np.zeros((*here.shape, 2), np.float32)
    return np.asarray(_estimator().calc(np.ascontiguousarray(here), np.ascontiguousarray(there), None), np.float32)


@lru_cache(maxsize=8)
def _grid(height: int, width: int) -> tuple[Flow, Flow]:
    across, down = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    return across, down


def positions(flow: Flow) -> tuple[Flow, Flow]:
    """(across, down) sampling positions, each (H, W) float32, of a flow field."""
    across, down = _grid(*flow.shape[:2])
    return across + flow[..., 0], down + flow[..., 1]


def sample(picture: npt.NDArray[Any], across: Flow, down: Flow) -> npt.NDArray[Any]:
    """A picture read at fractional positions (linear; the nearest edge sample outside)."""
    return np.asarray(cv2.remap(picture, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def outside(across: Flow, down: Flow) -> npt.NDArray[np.bool_]:
    """(H, W) bool: positions that lie off the picture of the same size."""
    height, width = across.shape
    return np.asarray((across < 0) | (down < 0) | (across > width - 1) | (down > height - 1))


def straightened(flow: Flow, bent: npt.NDArray[np.bool_]) -> Flow:
    """The flow where it is to be trusted, and its smooth continuation elsewhere.

    Normalised averages on ever coarser grids (pull and push: Gortler, Grzeszczuk, Szeliski, Cohen 1996, from memory).

    Args:
        flow: (H, W, 2) float32.
        bent: (H, W) bool, where it is not to be trusted.
    """
    if not bent.any() or bent.all():
        return flow
    known = (~bent).astype(np.float32)
    height, width = bent.shape
    size = (-(-width // COARSE_PX), -(-height // COARSE_PX))
    sums = np.asarray(cv2.resize(flow * known[..., None], size, interpolation=cv2.INTER_AREA), np.float32)
    shares = np.asarray(cv2.resize(known, size, interpolation=cv2.INTER_AREA), np.float32)
    smooth = cv2.resize(_pulled(sums, shares), (width, height), interpolation=cv2.INTER_LINEAR)
    result = flow.copy()
    result[bent] = smooth[bent]
    return result


def _pulled(sums: Flow, shares: Flow) -> Flow:
    """(h, w, 2) means of what is known, from coarser grids where too little is."""
    means = np.asarray(sums / np.maximum(shares, 1e-6)[..., None], np.float32)
    little = shares < LEAST_KNOWN
    if not little.any() or min(shares.shape) < 2:
        return means
    coarser = _pulled(np.asarray(cv2.pyrDown(sums), np.float32), np.asarray(cv2.pyrDown(shares), np.float32))
    spread = cv2.resize(coarser, (shares.shape[1], shares.shape[0]), interpolation=cv2.INTER_LINEAR)
    return np.asarray(np.where(little[..., None], spread, means), np.float32)


def sample_at(picture: npt.NDArray[Any], across: Flow, down: Flow) -> npt.NDArray[Any]:
    """A picture read at N fractional positions, each (N,) float32; (N,) or (N, channels)."""
    count = len(across)
    rows = -(-count // POINTS_A_ROW)
    padded = np.zeros((2, rows * POINTS_A_ROW), np.float32)
    padded[0, :count], padded[1, :count] = across, down
    read = sample(picture, padded[0].reshape(rows, -1), padded[1].reshape(rows, -1))
    return np.asarray(read.reshape(rows * POINTS_A_ROW, *picture.shape[2:])[:count])
