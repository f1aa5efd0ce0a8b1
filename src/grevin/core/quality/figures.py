"""Figures: peak signal-to-noise ratio, and how found blobs and pixels match the truth."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow

PEAK = 255.0  # pictures are compared in 8-bit levels
BEST_DB = 99.0  # given for equal pictures, whose ratio is unbounded
HIT_SHARE = 0.25  # of a blob's pixels that must overlap for a hit
TOLERANCE_PX = 2  # a found blob may lie this far off the truth's edge


def squared_error(first: npt.NDArray[Any], second: npt.NDArray[Any], where: Mask | None = None) -> tuple[float, int]:
    """(sum of squared differences, number of samples) of two pictures in 8-bit levels, inside `where`."""
    difference = first.astype(np.float64) - second.astype(np.float64)
    chosen = difference if where is None else difference[where]
    return float(np.square(chosen).sum()), int(chosen.size)


def psnr(error_sum: float, samples: int) -> float:
    """Peak signal-to-noise ratio in dB for 8-bit levels; 99 for equal pictures and for no samples."""
    if samples == 0 or error_sum == 0:
        return BEST_DB
    return min(BEST_DB, 10.0 * float(np.log10(PEAK**2 * samples / error_sum)))


def blockiness_db(reference: npt.NDArray[Any], picture: npt.NDArray[Any], block: int = 8) -> float:
    """PSNR that counts steps over the borders of blocks as errors besides (PSNR-B: Yim, Bovik 2011, from memory).

    Args:
        reference: (H, W) 8-bit levels.
        picture: (H, W), whose blocks begin at its edges.
        block: px of a block's side.
    """
    error, samples = squared_error(reference, picture)
    values = picture.astype(np.float64)
    over, inside, over_count, inside_count = 0.0, 0.0, 0, 0
    for axis in (0, 1):
        steps = np.square(np.diff(values, axis=axis))
        border = np.arange(steps.shape[axis]) % block == block - 1
        at, between = np.compress(border, steps, axis=axis), np.compress(~border, steps, axis=axis)
        over, over_count = over + float(at.sum()), over_count + at.size
        inside, inside_count = inside + float(between.sum()), inside_count + between.size
    more = over / max(1, over_count) - inside / max(1, inside_count)
    share = np.log2(block) / np.log2(min(values.shape)) if more > 0 else 0.0
    return psnr(error + share * more * samples, samples)


@dataclass
class Matches:
    """Counts of hits, over any number of frames."""

    true_blobs: int = 0
    true_blobs_found: int = 0
    found_blobs: int = 0
    found_blobs_right: int = 0
    true_pixels: int = 0
    found_pixels: int = 0
    shared_pixels: int = 0

    def count(self, truth: Mask, found: Mask) -> None:
        """Add a frame's (H, W) bool masks."""
        hits, total = _blob_hits(truth, found)
        self.true_blobs_found += hits
        self.true_blobs += total
        hits, total = _blob_hits(found, grow(truth, TOLERANCE_PX))
        self.found_blobs_right += hits
        self.found_blobs += total
        self.true_pixels += int(truth.sum())
        self.found_pixels += int(found.sum())
        self.shared_pixels += int((truth & found).sum())

    def add(self, other: Matches) -> None:
        """Add another count."""
        for name, value in vars(other).items():
            setattr(self, name, getattr(self, name) + value)

    def ratios(self) -> dict[str, float]:
        """Precision and recall of blobs and pixels, 0..1 (1 where there was nothing to find or nothing found)."""
        return {
            "blob_precision": _ratio(self.found_blobs_right, self.found_blobs),
            "blob_recall": _ratio(self.true_blobs_found, self.true_blobs),
            "pixel_precision": _ratio(self.shared_pixels, self.found_pixels),
            "pixel_recall": _ratio(self.shared_pixels, self.true_pixels),
        }


def _ratio(part: int, whole: int) -> float:
    return part / whole if whole else 1.0


def _blob_hits(blobs: Mask, other: Mask) -> tuple[int, int]:
    count, labels = cv2.connectedComponents(blobs.astype(np.uint8), connectivity=8)
    if count <= 1:
        return 0, 0
    sizes = np.bincount(labels.ravel(), minlength=count)[1:]
    overlap = np.bincount(labels[other], minlength=count)[1:]
    return int((overlap >= HIT_SHARE * sizes).sum()), count - 1
