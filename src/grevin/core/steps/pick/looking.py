"""What is looked at of each capture: how it differs from those before it, and where the camera points.

A camera before a projector trembles by a fraction of a pixel, which on a rich picture changes more than the film does
from frame to frame. So two captures are compared once the one is moved onto the other (Lucas and Kanade 1981), and the
move itself is kept: where the film only pans, it alone tells one film frame from the next.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8

Curve = npt.NDArray[np.float32]
Shift = npt.NDArray[np.float64]  # (2,) right, down

WIDEST_PX = 256  # of the small picture: saves noise and time, and a shift is still told to a hundredth of a pixel
LAGS = 5  # captures before one that it is compared with: three on either side of a border
BLOCK_PX = 8  # of the small picture
TOP_SHARE = 0.05  # of the blocks, those that change most
MOST_PX = 1.5  # of the small picture, either way: two captures that tremble by .6 px each differ by up to 2 px
EDGE_PX = 3  # of the small picture, where nothing was seen of what came in
FIRST_STEPS, NEXT_STEPS = 3, 1  # of alignment: from nowhere, and from where the way so far leads


@dataclass(frozen=True)
class Look:
    """A capture made small and brought to a mean of 100: exposure from capture to capture says nothing.

    Attributes:
        picture: (h, w) float32, half the size or less.
        slopes: (2, pixels) of it, rightwards and down.
        matrix: (2, 2) their products.
    """

    picture: Curve
    slopes: Curve = field(init=False)
    matrix: npt.NDArray[np.float64] = field(init=False)

    def __post_init__(self) -> None:
        ways = (cv2.Sobel(self.picture, cv2.CV_32F, *way, scale=1 / 8).ravel() for way in ((1, 0), (0, 1)))
        object.__setattr__(self, "slopes", np.stack(list(ways)))
        object.__setattr__(self, "matrix", (self.slopes @ self.slopes.T).astype(np.float64))

    @classmethod
    def at(cls, luma: Luma8) -> Look:
        """Looked at, a little softened against noise."""
        height, width = luma.shape
        parts = max(2, -(-width // WIDEST_PX))
        size = (max(1, width // parts), max(1, height // parts))
        small = cv2.resize(luma, size, interpolation=cv2.INTER_AREA).astype(np.float32)
        even = small * np.float32(100.0 / max(1.0, float(small.mean())))
        return cls(np.asarray(cv2.GaussianBlur(even, (0, 0), 1.0), np.float32))

    def sharpness(self) -> float:
        """Variance of the second derivative."""
        return float(cv2.Laplacian(self.picture, cv2.CV_32F).var())

    def moved(self, shift: Shift) -> Curve:
        """(h, w) the picture with what is so far right and down of a place brought there."""
        if not shift.any():
            return self.picture
        move = np.array([[1.0, 0.0, shift[0]], [0.0, 1.0, shift[1]]])
        flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        size = self.picture.shape[::-1]
        return np.asarray(cv2.warpAffine(self.picture, move, size, flags=flags, borderMode=cv2.BORDER_REPLICATE))

    def shift_of(self, other: Look, start: Shift, steps: int) -> Shift:
        """By how many pixels right and down another capture lies, at most `MOST_PX` either way."""
        shift = np.clip(start, -MOST_PX, MOST_PX)
        if float(np.linalg.det(self.matrix)) <= 1e-3:
            return shift
        for _ in range(steps):
            apart = cv2.subtract(other.moved(shift), self.picture)
            shift = np.clip(shift - np.linalg.solve(self.matrix, self.slopes @ apart.ravel()), -MOST_PX, MOST_PX)
        return shift

    def change_of(self, other: Look, shift: Shift) -> float:
        """Mean of the largest block changes against another capture that lies so far away; its light says nothing."""
        apart = cv2.subtract(other.moved(shift), self.picture)
        if min(apart.shape) > 4 * EDGE_PX:
            apart = apart[EDGE_PX:-EDGE_PX, EDGE_PX:-EDGE_PX]
        grid = (max(1, apart.shape[1] // BLOCK_PX), max(1, apart.shape[0] // BLOCK_PX))
        blocks = cv2.resize(np.abs(apart - apart.mean()), grid, interpolation=cv2.INTER_AREA).ravel()
        count = max(1, round(TOP_SHARE * blocks.size))
        return float(np.partition(blocks, -count)[-count:].mean())


def against(here: Look, before: list[Look | None], way: list[Shift]) -> tuple[Shift, list[float]]:
    """A capture against those before it, the last one first.

    Args:
        here: the capture.
        before: None for a capture that could not be read.
        way: by how far each of those lies from the one before it.

    Returns:
        By how far this one lies from the last; its change against each, NaN for none.
    """
    step, changes, far = np.zeros(2), [], np.zeros(2)
    for place, other in enumerate(before):
        if place:
            far = far - way[place - 1]
        if other is None:
            changes.append(np.nan)
            continue
        shift = here.shift_of(other, far, NEXT_STEPS if place else FIRST_STEPS)
        changes.append(here.change_of(other, shift))
        if not place:
            far, step = shift, -shift
    return step, changes
