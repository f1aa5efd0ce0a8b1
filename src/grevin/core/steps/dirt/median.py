"""The quick way: what stands out from the median of its own surroundings, on one frame, without motion.

Size and threshold decide alone; meant for a region in which that is right: plain sky, a wall, a title (common
practice).
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.known import known_median
from grevin.core.motion.flow import Luma8
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import boxes_around, feather_inside, grow
from grevin.core.steps.dirt.settings import DirtSettings
from grevin.core.steps.evidence import Blob, Evidence

PIXELS_AT_ONCE = 4096  # surroundings gathered at a time, so that memory stays small


def find_by_median(here: Luma8, settings: DirtSettings) -> Evidence:
    """Evidence of what differs from the median of its surroundings by more than the threshold."""
    smooth = np.asarray(cv2.medianBlur(here, settings.median_px | 1), np.uint8)
    off = np.zeros_like(here)
    if settings.polarity in {"both", "brighter"}:
        off = np.asarray(cv2.max(off, cv2.subtract(here, smooth)), np.uint8)
    if settings.polarity in {"both", "darker"}:
        off = np.asarray(cv2.max(off, cv2.subtract(smooth, here)), np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats((off > settings.median_levels).view(np.uint8))
    sizes = stats[:, cv2.CC_STAT_AREA]
    taken = (sizes >= settings.smallest_px) & (sizes <= settings.largest_px)
    taken[0] = False
    core = np.asarray(taken[labels])
    difference = here.astype(np.float64) - smooth
    sums = np.bincount(labels.ravel(), difference.ravel(), minlength=count)
    blobs = tuple(
        _blob(
            np.asarray(stats[piece, :4], np.int32),
            int(sizes[piece]),
            float(sums[piece] / sizes[piece]),
            settings.median_levels,
        )
        for piece in np.nonzero(taken)[0]
    )
    mask = grow(core, settings.grow_px)
    weight = feather_inside(mask, grow(core, max(0, settings.grow_px - 1))) if core.any() else None
    return Evidence(mask, weight, blobs)


def _blob(box: npt.NDArray[np.int32], pixels: int, contrast: float, threshold: float) -> Blob:
    x, y, width, height = (int(value) for value in box)
    sure = min(1.0, abs(contrast) / (2 * threshold))  # at twice the threshold nobody would doubt it
    return Blob((x, y, width, height), pixels, round(contrast, 2), round(sure, 3))


def fill_by_median(picture: Rgb, mask: Mask, side: int) -> None:
    """Replace what lies in `mask`, in place, by the median of what is around and not in it.

    Args:
        picture: (H, W, 3) float32 R'G'B'.
        mask: (H, W) bool.
        side: of the square that is looked at, px; widened round a piece that it does not reach over.
    """
    original = picture.copy()
    for inside, rows, columns in boxes_around(mask, 0):
        half = max(side, min(inside.shape) + 2) // 2 + 1
        for start in range(0, int(np.count_nonzero(inside)), PIXELS_AT_ONCE):
            down, across = (v[start : start + PIXELS_AT_ONCE] for v in np.nonzero(inside))
            places = (down + rows.start, across + columns.start)
            picture[places] = _medians(original, mask, places, half)


def _medians(
    picture: Rgb, mask: Mask, places: tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]], half: int
) -> npt.NDArray[np.float32]:  # fmt: skip
    """(N, 3) medians of the unmasked surroundings of N places; the pixel itself where there are none."""
    height, width = mask.shape
    offsets = np.arange(-half, half + 1)
    down = np.clip(places[0][:, None] + offsets, 0, height - 1)[:, :, None]
    across = np.clip(places[1][:, None] + offsets, 0, width - 1)[:, None, :]
    around = np.where(mask[down, across][..., None], np.nan, picture[down, across]).reshape(len(places[0]), -1, 3)
    known = ~np.isnan(around).all(axis=(1, 2))
    result = picture[places].copy()
    result[known] = known_median(around[known].swapaxes(0, 1))
    return np.asarray(result, np.float32)
