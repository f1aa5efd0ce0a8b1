"""Places that a person drew to have the noise measured in: whether they serve, and what speaks against it."""

from __future__ import annotations

import math
from dataclasses import astuple, dataclass, fields

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.pairs import CLIPPED_SHARE, LEAST_PLACES, SIDE
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.levels import Plane, levels_of

MOST_RUN = 24.0  # 8-bit levels from end to end: more of it, and the level of the noise changes over the box
COHERENT = 0.35  # of the gradient tensor's, 0 for noise and 1 for lines
SMOOTH_PX = 1.5  # before gradients are looked at: what is left of noise has no direction
RIM_PX = 7  # of a drawn place that what lies beside it may reach into
DARK, BRIGHT = 1.0, 254.0  # 8-bit levels at which a sample is clipped
LEAST_TEXTURE = 1.5  # 8-bit levels of structure in the smoothed picture, below which lines do not count


@dataclass(frozen=True)
class Box:
    """What a drawn place is like.

    Attributes:
        x, y, width, height: px of the picture round it.
        places: how many places of `SIDE` px it holds.
        run: 8-bit levels by which its brightness rises from end to end.
        clipped: share of its samples that are black or white for good.
        coherence: how much its structure has one direction, 0..1.
        angle: that of its lines, degrees from the horizontal, 0..180.
        low, high: 8-bit levels that it covers.
    """

    x: float
    y: float
    width: float
    height: float
    places: float
    run: float
    clipped: float
    coherence: float
    angle: float
    low: float
    high: float

    def against(self) -> list[str]:
        """What speaks against it, in words with figures; empty where it serves."""
        found = []
        if self.places < LEAST_PLACES:
            found.append(f"it holds {self.places:.0f} of the {LEAST_PLACES} places of {SIDE} px that are needed")
        if self.run > MOST_RUN:
            found.append(f"its brightness runs by {self.run:.0f} levels")
        if self.clipped > CLIPPED_SHARE:
            found.append(f"{100 * self.clipped:.0f} % of it is clipped")
        if self.coherence > COHERENT:
            found.append(f"it has lines at {self.angle:.0f} degrees")
        return found

    def words(self) -> str:
        """The judgement as a sentence."""
        head = f"The place at {self.x:.0f}, {self.y:.0f} ({self.width:.0f}x{self.height:.0f} px)"
        against = self.against()
        if against:
            return f"{head} serves badly: {', '.join(against)}."
        return f"{head} serves: levels {self.low:.0f} to {self.high:.0f}, even within {self.run:.0f}."


def judged(mask: Mask, frame: Frame) -> npt.NDArray[np.float64]:
    """(N, 11) the boxes of a mask on a frame, one for each piece of it, as `unpacked_boxes` reads them.

    Args:
        mask: (H, W) bool, where the noise is to be measured.
        frame: a frame of the shot.
    """
    luma = levels_of(frame)[0]
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8))
    found = []
    for label in range(1, count):
        x, y, width, height = (int(value) for value in stats[label, :4])
        part = slice(y, y + height), slice(x, x + width)
        found.append(astuple(_box(labels[part] == label, luma[part], x, y)))
    return np.array(found, np.float64).reshape(-1, len(fields(Box)))


def unpacked_boxes(arrays: npt.NDArray[np.float64]) -> list[Box]:
    """Boxes from what `judged` gave."""
    return [Box(*(float(value) for value in row)) for row in arrays]


def _box(inside: Mask, luma: Plane, x: int, y: int) -> Box:
    height, width = luma.shape
    smooth = np.asarray(cv2.GaussianBlur(luma, (0, 0), SMOOTH_PX), np.float32)
    inner = cv2.erode(inside.astype(np.uint8), np.ones((RIM_PX, RIM_PX), np.uint8)).astype(np.bool_)
    inner = inner if inner.any() else inside
    down, across = np.nonzero(inside)
    basis = np.stack([np.ones(len(down)), down - down.mean(), across - across.mean()], axis=1)
    slope, *_ = np.linalg.lstsq(basis, luma[inside].astype(np.float64), rcond=None)
    even = (smooth[inside] - basis @ slope)[inner[inside]]
    coherence, angle = _lines(smooth, inner) if float(even.std()) > LEAST_TEXTURE else (0.0, 0.0)
    rows, columns = height // SIDE, width // SIDE
    whole = inside[: rows * SIDE, : columns * SIDE].reshape(rows, SIDE, columns, SIDE).all(axis=(1, 3))
    low, high = np.percentile(smooth[inside], [5, 95])
    clipped = float(np.mean((luma[inside] < DARK) | (luma[inside] > BRIGHT)))
    run = float(np.ptp(basis @ slope))
    return Box(x, y, width, height, float(whole.sum()), run, clipped, coherence, angle, float(low), float(high))


def _lines(smooth: Plane, inside: Mask) -> tuple[float, float]:
    """Coherence of the gradient tensor (Bigun, Granlund 1987), and the direction of the lines in degrees."""
    across, down = (cv2.Sobel(smooth, cv2.CV_32F, *way)[inside] for way in ((1, 0), (0, 1)))
    xx, yy, xy = float(across @ across), float(down @ down), float(across @ down)
    total = xx + yy
    if total <= 0:
        return 0.0, 0.0
    along = 0.5 * math.degrees(math.atan2(2 * xy, xx - yy)) + 90.0  # lines lie across their gradient
    return math.hypot(xx - yy, 2 * xy) / total, (180.0 - along) % 180.0
