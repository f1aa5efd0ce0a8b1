"""Geometry: where the pixels of a picture lie in an earlier one, through crops, moves and enlarging.

It is the other half of the frame map: what a person says is about the reel's own pixels, and is translated for steps
that see another shape of the picture.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, floor

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Mask
from grevin.core.picture.sampling import Map

Area = tuple[int, int, int, int]  # x, y, width, height in pixels
Weight = npt.NDArray[np.float32]
Points = npt.NDArray[np.float64]

EDGE_PX = 1e-6  # so that a border on a whole pixel stays there in spite of rounding


@dataclass(frozen=True, eq=False)
class Geometry:
    """An affine map between two pictures.

    Attributes:
        back: (2, 3) where in the earlier picture a pixel of the later one lies, (x, y) of pixel middles.
    """

    back: Map

    @classmethod
    def of_field(cls, parity: int) -> Geometry:
        """Where the pixels of a field lie on its frame; 0 is the field of the first line."""
        return cls(np.array([[1.0, 0.0, 0.0], [0.0, 2.0, float(parity)]]))

    def then(self, later: Geometry) -> Geometry:
        """This geometry, and a later one over its picture, as one."""
        return Geometry((_square(self.back) @ _square(later.back))[:2])

    @property
    def on(self) -> Map:
        """(2, 3) where in the later picture a pixel of the earlier one lies."""
        return np.asarray(np.linalg.inv(_square(self.back))[:2], np.float64)

    def area_on(self, area: Area) -> Area:
        """The upright box, in the later picture, round a place of the earlier one."""
        return _boxed(self.on, area)

    def area_back(self, area: Area) -> Area:
        """The upright box, in the earlier picture, round a place of the later one."""
        return _boxed(self.back, area)

    def points_on(self, points: Points) -> Points:
        """(N, 2) points of the earlier picture in the later one; pixel i reaches from i to i + 1."""
        return np.asarray((points - 0.5) @ self.on[:, :2].T + self.on[:, 2] + 0.5, np.float64)

    def points_back(self, points: Points) -> Points:
        """(N, 2) points of the later picture in the earlier one."""
        return Geometry(self.on).points_on(points)

    def weight_on(self, weight: Weight, shape: tuple[int, int], outside: float) -> Weight:
        """(H, W) weights of the later picture.

        Args:
            weight: (H, W) of the earlier one.
            shape: (H, W) of the later one.
            outside: the weight where the later picture shows nothing of the earlier one.
        """
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        moved = cv2.warpAffine(
            weight, self.back, shape[::-1], flags=flags, borderMode=cv2.BORDER_CONSTANT, borderValue=outside
        )
        return np.asarray(moved, np.float32)

    def mask_on(self, mask: Mask, shape: tuple[int, int]) -> Mask:
        """(H, W) bool of the later picture: every pixel that shows some of the earlier mask."""
        return np.asarray(self.weight_on(mask.astype(np.float32), shape, 0.0) > 0, np.bool_)

    def mask_back(self, mask: Mask, shape: tuple[int, int]) -> Mask:
        """(H, W) bool of the earlier picture: every pixel of which the later mask holds some."""
        return Geometry(self.on).mask_on(mask, shape)


def _square(way: Map) -> npt.NDArray[np.float64]:
    return np.vstack([way, [0.0, 0.0, 1.0]])


def _boxed(way: Map, area: Area) -> Area:
    x, y, width, height = area
    # the edges of a place lie half a pixel outside the middles of its pixels
    corners = np.array([(x, y, 1), (x + width, y, 1), (x, y + height, 1), (x + width, y + height, 1)], np.float64)
    corners[:, :2] -= 0.5
    moved = corners @ way.T + 0.5
    (left, top), (right, bottom) = moved.min(axis=0) + EDGE_PX, moved.max(axis=0) - EDGE_PX
    first, upper = floor(left), floor(top)
    return first, upper, max(1, ceil(right) - first), max(1, ceil(bottom) - upper)
