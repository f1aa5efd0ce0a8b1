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
_estimators = threading.local()


def _estimator() -> Any:
    """One estimator a thread: it holds buffers and must not be shared."""
    if not hasattr(_estimators, "dis"):
        _estimators.dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
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
