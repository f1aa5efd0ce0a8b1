"""What a suspect blob looks like among its surroundings: the dear measures, one blob at a time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.picture.frame import Mask
from grevin.core.steps.dirt.neighbour import Neighbour

RIM_PX = 2  # a blob's own soft edge, not judged
RING_PX = 6  # outer edge of the ring by which it is judged (methods, dirt: 2 to 6 px)
SEARCH_PX = 6  # how far a neighbour is searched for the same patch, displaced
LARGEST_PATCH_PX = 96  # a larger blob is searched for by its middle
DEVIATING_NOISE = 3.0  # noise units from which a pixel of the ring deviates
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
    """

    residual: float
    deviating: float
    texture: float
    bend: float
    displaced: float
    room: float


def look_around(
    here: Luma8, neighbours: tuple[Neighbour, Neighbour], labels: npt.NDArray[np.int32], blob: int,
    box: npt.NDArray[Any], residual: Luma8, noise: float,
) -> Around:  # fmt: skip
    """Measure the surroundings of the blob with that label and (x, y, width, height) box."""
    height, width = here.shape
    x, y, wide, high = (int(value) for value in box)
    rows = slice(max(0, y - RING_PX), min(height, y + high + RING_PX))
    columns = slice(max(0, x - RING_PX), min(width, x + wide + RING_PX))
    part = labels[rows, columns]
    ring = _ring(part, blob)
    room = float(min(x, y, width - x - wide, height - y - high))
    displaced = min(_displaced(here, neighbour.luma, (x, y, wide, high)) for neighbour in neighbours)
    if np.count_nonzero(ring) < LEAST_RING:
        return Around(8.0 * noise, 1.0, 40.0, 8.0, displaced, room)
    left = residual[rows, columns][ring].astype(np.float32)
    bend = max(float(n.flow[rows, columns][ring].std(axis=0).sum()) for n in neighbours)
    return Around(
        float(np.minimum(left, 8.0 * noise).mean()), float((left > DEVIATING_NOISE * noise).mean()),
        float(here[rows, columns][ring].std()), bend, displaced, room,
    )  # fmt: skip


def _ring(part: npt.NDArray[np.int32], blob: int) -> Mask:
    inside = (part == blob).view(np.uint8)
    outer = cv2.dilate(inside, np.ones((2 * RING_PX + 1, 2 * RING_PX + 1), np.uint8))
    inner = cv2.dilate(inside, np.ones((2 * RIM_PX + 1, 2 * RIM_PX + 1), np.uint8))
    return np.asarray((outer > 0) & (inner == 0) & (part == 0))


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
