"""What a suspect blob looks like among its surroundings: the dear measures, one blob at a time."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.steps.dirt.suspects import SKIRT_PX, Suspects

RIM_PX = 2  # a blob's own soft edge, not judged
RING_PX = 6  # outer edge of the ring by which it is judged (methods, dirt: 2 to 6 px)
SEARCH_PX = 6  # how far a neighbour is searched for the same patch, displaced
LARGEST_PATCH_PX = 96  # a larger blob is searched for by its middle
DEVIATING_NOISE = 3.0  # noise units from which a pixel of the ring deviates
RANGE_PX = 24  # how far around a blob a neighbour is searched for its level
RANGE_SHARE = 0.01  # of the darkest and brightest pixels there that do not count
LEAST_RING = 12  # pixels: a smaller ring says nothing


@dataclass(frozen=True)
class Around:
    """One blob's surroundings.

    Attributes:
        residual: mean of what the motion leaves unexplained in the ring, 8-bit levels.
        deviating: share of the ring that deviates, 0..1.
        texture: standard deviation of the picture in the ring, 8-bit levels.
        bend: spread of the motion in the ring, px.
        displaced: how well the patch is found displaced in a neighbour, against finding it in place: 1 not at all.
        room: distance of the blob from the picture's border, px.
        outlying: how far the blob's level lies outside what the neighbours show around, 8-bit levels; negative inside.
        apart: how far it lies from the level of its own ring, 8-bit levels.
        uneven: standard deviation inside the blob, 8-bit levels.
    """

    residual: float
    deviating: float
    texture: float
    bend: float
    displaced: float
    room: float
    outlying: float
    apart: float
    uneven: float


def look_around(seen: Suspects, blob: int) -> Around:
    """Measure the surroundings of a blob, counted from 0."""
    height, width = seen.here.shape
    x, y, wide, high = (int(value) for value in seen.features.boxes[blob])
    reach = SKIRT_PX + RING_PX
    rows = slice(max(0, y - reach), min(height, y + high + reach))
    columns = slice(max(0, x - reach), min(width, x + wide + reach))
    inside = seen.labels[rows, columns] == blob + 1
    ring = _ring(inside, seen.skirt[rows, columns])
    levels = seen.here[rows, columns][inside].astype(np.float32)
    level, uneven = float(levels.mean()), _spread(levels)
    outlying = min(_outlying(level, neighbour.luma, (x, y, wide, high)) for neighbour in seen.neighbours)
    room = float(min(x, y, width - x - wide, height - y - high))
    displaced = min(_displaced(seen.here, neighbour.luma, (x, y, wide, high)) for neighbour in seen.neighbours)
    if np.count_nonzero(ring) < LEAST_RING:
        return Around(8.0 * seen.noise, 1.0, 40.0, 8.0, displaced, room, outlying, 0.0, uneven)
    left = seen.residual[rows, columns][ring].astype(np.float32)
    own = seen.here[rows, columns][ring].astype(np.float32)
    bend = max(
        _spread(flow[:, 0]) + _spread(flow[:, 1]) for flow in (n.flow[rows, columns][ring] for n in seen.neighbours)
    )
    return Around(
        float(np.minimum(left, 8.0 * seen.noise).mean()), float((left > DEVIATING_NOISE * seen.noise).mean()),
        _spread(own), bend, displaced, room, outlying, abs(level - float(own.mean())), uneven,
    )  # fmt: skip


def _spread(values: npt.NDArray[np.float32]) -> float:
    """Standard deviation of a few values; NumPy's own takes three times as long for so few."""
    wide = values.astype(np.float64)
    mean = float(wide.sum()) / len(wide)
    return float(np.sqrt(max(0.0, float(wide @ wide) / len(wide) - mean * mean)))


def _ring(blob: Mask, skirt: Mask) -> Mask:
    """What lies round a blob with its soft edge, without other suspects."""
    inside = (blob | grow(blob, SKIRT_PX) & skirt).view(np.uint8)
    outer = cv2.dilate(inside, np.ones((2 * RING_PX + 1, 2 * RING_PX + 1), np.uint8))
    inner = cv2.dilate(inside, np.ones((2 * RIM_PX + 1, 2 * RIM_PX + 1), np.uint8))
    return np.asarray((outer > 0) & (inner == 0) & ~skirt)


def _outlying(level: float, moved: Luma8, box: tuple[int, int, int, int]) -> float:
    """How far a level lies outside the range of a neighbour round a box, 8-bit levels; negative inside it."""
    x, y, wide, high = box
    x, wide = _middle(x, wide)
    y, high = _middle(y, high)
    patch = moved[max(0, y - RANGE_PX) : y + high + RANGE_PX, max(0, x - RANGE_PX) : x + wide + RANGE_PX]
    falling = np.cumsum(np.bincount(patch[::2, ::2].ravel(), minlength=256)) / patch[::2, ::2].size
    low, top = np.searchsorted(falling, (RANGE_SHARE, 1.0 - RANGE_SHARE))
    return float(max(level - top, low - level))


def _displaced(here: Luma8, moved: Luma8, box: tuple[int, int, int, int]) -> float:
    """Best match within the search distance over the match in place; 1 where moving does not help."""
    height, width = here.shape
    x, y, wide, high = box
    x, wide = _middle(x - RIM_PX, wide + 2 * RIM_PX)
    y, high = _middle(y - RIM_PX, high + 2 * RIM_PX)
    left, top = max(x, SEARCH_PX), max(y, SEARCH_PX)
    right, bottom = min(x + wide, width - SEARCH_PX), min(y + high, height - SEARCH_PX)
    if right - left < 3 or bottom - top < 3:
        return 1.0
    patch = here[top:bottom, left:right]
    field = moved[top - SEARCH_PX : bottom + SEARCH_PX, left - SEARCH_PX : right + SEARCH_PX]
    match = cv2.matchTemplate(field, patch, cv2.TM_SQDIFF)
    place = float(match[SEARCH_PX, SEARCH_PX])
    return float(np.sqrt((float(match.min()) + patch.size) / (place + patch.size)))


def _middle(start: int, length: int) -> tuple[int, int]:
    cut = max(0, length - LARGEST_PATCH_PX)
    return start + cut // 2, length - cut
