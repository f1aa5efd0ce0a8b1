"""What every suspect blob measures: the cheap measures, of all blobs of a frame at once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.picture.frame import Mask
from grevin.core.steps.dirt.blobs import Blobs, Values
from grevin.core.steps.dirt.neighbour import Neighbour

NEAR_PX = 13  # window in which the surroundings of a blob are judged
FAR_PX = 41  # window in which local activity is judged (methods: best single features with the ring)
ACTIVITY_CAP = 8.0  # noise units: one large deviation must not hide everything around it
CLEAR_SHARE = 0.05  # of a square that must be free of suspects for its mean to mean anything


@dataclass(frozen=True, eq=False)
class BlobFeatures:
    """One row per blob; (N,) arrays, levels in 8 bits.

    Attributes:
        pixels: size.
        boxes: (N, 4) x, y, width, height.
        contrast: mean deviation from the nearer neighbour.
        sign: +1 brighter, -1 darker.
        over_near: contrast over the residual of the near surroundings.
        over_far: contrast over the local activity.
        disagreement: difference of both neighbours over the contrast.
        speed: mean motion, px per frame.
    """

    pixels: npt.NDArray[Any]
    boxes: npt.NDArray[Any]
    contrast: npt.NDArray[Any]
    sign: npt.NDArray[Any]
    over_near: npt.NDArray[Any]
    over_far: npt.NDArray[Any]
    disagreement: npt.NDArray[Any]
    speed: npt.NDArray[Any]


def blob_features(
    here: Luma8, neighbours: tuple[Neighbour, Neighbour], blobs: Blobs, skirts: tuple[Mask, ...], spike: Luma8,
    residual: Luma8, noise: float,
) -> BlobFeatures:  # fmt: skip
    """Measure every blob; surroundings leave out all blobs of its threshold and their soft edges."""
    first, second = neighbours
    if not len(blobs):
        nothing = np.zeros(0)
        return BlobFeatures(nothing, np.zeros((0, 4), np.int64), *([nothing] * 6))
    place = blobs.place
    near, far = _activity(blobs, skirts, residual, noise)
    contrast = np.maximum(blobs.mean(spike[place]), 0.5)
    one, other = first.luma[place].astype(np.int16), second.luma[place].astype(np.int16)
    level = here[place].astype(np.float64)
    return BlobFeatures(
        pixels=blobs.sizes,
        boxes=_boxes(blobs),
        contrast=contrast,
        sign=np.sign(blobs.mean(level - (one + other) / 2)),
        over_near=contrast / (near + 0.5 * noise),
        over_far=contrast / (far + 0.5 * noise),
        disagreement=blobs.mean(np.abs(one - other)) / contrast,
        speed=np.maximum(*(blobs.mean(np.hypot(*n.flow[place].T)) for n in neighbours)),
    )


def _activity(blobs: Blobs, skirts: tuple[Mask, ...], residual: Luma8, noise: float) -> tuple[Values, Values]:
    """(N,) mean residual in the near and far surroundings of each blob."""
    cap = min(255, round(ACTIVITY_CAP * noise))
    held = np.minimum(residual, np.uint8(cap))
    result = np.full((2, len(blobs)), float(cap))
    for level, skirt in enumerate(skirts):
        chosen = blobs.level == level
        if not chosen.any():
            continue
        clear = cv2.erode((~skirt).view(np.uint8), np.ones((3, 3), np.uint8))
        sums, numbers = (cv2.integral(one) for one in (cv2.multiply(held, clear), clear))
        place, counts = blobs.pixels_of(chosen), blobs.sizes[chosen]
        for row, size in enumerate((NEAR_PX, FAR_PX)):
            result[row, chosen] = around_blobs(sums, numbers, size, place, counts, cap)
    return result[0], result[1]


def around_blobs(
    sums: npt.NDArray[Any], numbers: npt.NDArray[Any], size: int, place: tuple[npt.NDArray[Any], ...],
    counts: npt.NDArray[Any], unknown: float,
) -> Values:  # fmt: skip
    """Mean of some values over the clear pixels of the squares round a blob's pixels.

    Args:
        sums: (H + 1, W + 1) integral of the values, 0 where not clear.
        numbers: that of the clear pixels.
        size: side of the squares, px; what lies off the picture counts for nothing.
        place: (rows, columns) of all pixels of all blobs, blob after blob.
        counts: (N,) pixels of each blob.
        unknown: taken where no square of a blob holds enough clear pixels: its surroundings have to be assumed busy.

    Returns:
        (N,) means. Squares in the middle of a large blob hold nothing and do not count.
    """
    half, (height, width) = size // 2, (length - 1 for length in sums.shape)
    top, low = np.maximum(place[0] - half, 0), np.minimum(place[0] + half + 1, height)
    left, right = np.maximum(place[1] - half, 0), np.minimum(place[1] + half + 1, width)
    total, number = (
        one[low, right] - one[top, right] - one[low, left] + one[top, left] for one in (sums, numbers)
    )  # fmt: skip
    enough = number > CLEAR_SHARE * size * size
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    means = np.add.reduceat(np.where(enough, total / np.maximum(number, 1), 0.0), starts)
    counted = np.add.reduceat(enough.astype(np.int64), starts)
    return np.asarray(np.where(counted > 0, means / np.maximum(counted, 1), unknown))


def _boxes(blobs: Blobs) -> npt.NDArray[np.int64]:
    low = [blobs.extreme(values, most=False) for values in (blobs.columns, blobs.rows)]
    high = [blobs.extreme(values, most=True) for values in (blobs.columns, blobs.rows)]
    return np.stack([*low, *(top - bottom + 1 for top, bottom in zip(high, low, strict=True))], axis=1).astype(np.int64)
