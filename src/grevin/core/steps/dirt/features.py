"""What every suspect blob measures: the cheap measures, of all blobs of a frame at once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8, places_of
from grevin.core.picture.frame import Mask
from grevin.core.steps.dirt.neighbour import Neighbour

Levels = npt.NDArray[np.float32]

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
    here: Luma8, neighbours: tuple[Neighbour, Neighbour], labels: npt.NDArray[np.int32], count: int,
    skirt: Mask, spike: Luma8, residual: Luma8, noise: float,
) -> BlobFeatures:  # fmt: skip
    """Measure every blob; surroundings leave out all suspect pixels and their soft edges."""
    first, second = neighbours
    if count == 0:
        nothing = np.zeros(0)
        return BlobFeatures(nothing, np.zeros((0, 4), np.int64), *([nothing] * 6))
    place = places_of(labels > 0)
    blob = labels[place] - 1
    pixels = np.bincount(blob, minlength=count)

    def mean(values: npt.NDArray[Any]) -> npt.NDArray[np.float64]:
        return np.bincount(blob, values.astype(np.float64), minlength=count) / pixels

    clear = cv2.erode((~skirt).view(np.uint8), np.ones((3, 3), np.uint8))
    cap = min(255, round(ACTIVITY_CAP * noise))
    capped = np.asarray(np.minimum(residual, np.uint8(cap)) * clear, np.uint8)
    near, far = (around_blobs(capped, clear, size, place, blob, count, cap) for size in (NEAR_PX, FAR_PX))
    contrast = np.maximum(mean(spike[place]), 0.5)
    one, other = first.luma[place].astype(np.float64), second.luma[place].astype(np.float64)
    return BlobFeatures(
        pixels=pixels,
        boxes=_boxes(place[0], place[1], blob, count),
        contrast=contrast,
        sign=np.sign(mean(here[place]) - mean((one + other) / 2)),
        over_near=contrast / (near + 0.5 * noise),
        over_far=contrast / (far + 0.5 * noise),
        disagreement=mean(np.abs(one - other)) / contrast,
        speed=np.maximum(*(mean(np.hypot(*n.flow[place].T)) for n in neighbours)),
    )


def around_blobs(
    values: Luma8, clear: npt.NDArray[Any], size: int, place: tuple[npt.NDArray[Any], ...], blob: npt.NDArray[Any],
    count: int, unknown: float,
) -> npt.NDArray[np.float64]:  # fmt: skip
    """Mean of `values` over the clear pixels of the squares round a blob's pixels.

    Args:
        values: (H, W) uint8, 0 where not clear.
        clear: (H, W) uint8, 1 where a pixel counts.
        size: side of the squares, px.
        place: (rows, columns) of all pixels of all blobs.
        blob: number of the blob of each of them, from 0.
        count: number of blobs.
        unknown: taken where no square of a blob holds enough clear pixels: its surroundings have to be assumed busy.

    Returns:
        (count,) means. Squares in the middle of a large blob hold nothing and do not count.
    """
    total = cv2.boxFilter(values, cv2.CV_32S, (size, size), normalize=False)[place]
    number = cv2.boxFilter(np.asarray(clear), cv2.CV_32S, (size, size), normalize=False)[place]
    enough = number > CLEAR_SHARE * size * size
    sums = np.bincount(blob, np.where(enough, total / np.maximum(number, 1), 0.0), minlength=count)
    counted = np.bincount(blob, enough, minlength=count)
    return np.asarray(np.where(counted > 0, sums / np.maximum(counted, 1), unknown))


def _boxes(
    rows: npt.NDArray[Any], columns: npt.NDArray[Any], blob: npt.NDArray[Any], count: int
) -> npt.NDArray[np.int64]:
    order = np.argsort(blob, kind="stable")
    starts = np.searchsorted(blob[order], np.arange(count))
    low = [np.minimum.reduceat(values[order], starts) for values in (columns, rows)]
    high = [np.maximum.reduceat(values[order], starts) for values in (columns, rows)]
    return np.stack([*low, *(top - bottom + 1 for top, bottom in zip(high, low, strict=True))], axis=1).astype(np.int64)
