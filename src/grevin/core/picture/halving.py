"""Pictures of half the width and height, for showing large ones small while they are played. Never for an output."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from grevin.core.picture.frame import Frame, Plane


def halved(frame: Frame) -> Frame:
    """The frame at half its size, every pixel the mean of four; chroma comes to lie on the luma grid (4:4:4)."""
    fmt = frame.format
    height, width = -(-fmt.height // 2), -(-fmt.width // 2)
    planes = tuple(_fitted(plane, width, height) for plane in frame.planes)
    small = replace(fmt, width=width, height=height, chroma="4:4:4")
    return Frame(frame.number, small, planes)


def _fitted(plane: Plane, width: int, height: int) -> Plane:
    if plane.shape == (height, width):
        return plane
    smaller = plane.shape[0] >= height and plane.shape[1] >= width
    wide = plane.astype(np.float32) if plane.dtype == np.float16 else plane  # OpenCV resizes no half floats
    method = cv2.INTER_AREA if smaller else cv2.INTER_NEAREST
    return np.asarray(cv2.resize(wide, (width, height), interpolation=method)).astype(plane.dtype)
