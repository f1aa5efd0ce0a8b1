"""How much noise there is."""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.survey.measures.base import Depth, Series, Sight

# Immerkaer 1996, "Fast noise variance estimation", doi:10.1006/cviu.1996.0060: a kernel that lines and slopes pass by
KERNEL = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
KERNEL_NORM = 6.0
MAD_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution
QUIET_SHARE = 0.25  # of the blocks, those with the least texture
BLOCK_PX = 16


HALF_PX = 8  # side of a place of the half picture
PLAIN_SHARE = 0.15  # of those, the plainest


class Noise:
    """Standard deviation of the noise in the quietest quarter of the picture.

    A high pass sees little of grain that is coarser than the pixels: what the half picture differs by from the one
    before counts too, in plain places along the motion.
    """

    series: ClassVar[tuple[Series, ...]] = (Series("noise", "levels of 255", "standard deviation of the noise"),)
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.here.luma
        residue = cv2.filter2D(luma, cv2.CV_32F, KERNEL / KERNEL_NORM)[1:-1, 1:-1]
        rows, columns = residue.shape[0] // BLOCK_PX, residue.shape[1] // BLOCK_PX
        if not residue.size:
            return (float("nan"),)
        if rows * columns < 4:
            return (MAD_TO_SIGMA * float(np.median(np.abs(residue))),)
        part = residue[: rows * BLOCK_PX, : columns * BLOCK_PX]
        squares = cv2.resize(cv2.multiply(part, part), (columns, rows), interpolation=cv2.INTER_AREA)
        sigma = np.sqrt(squares).ravel()
        clipped = cv2.resize(luma, (columns, rows), interpolation=cv2.INTER_AREA).ravel()
        sigma = sigma[(clipped > 8) & (clipped < 247)] if np.any((clipped > 8) & (clipped < 247)) else sigma
        fine = float(np.quantile(sigma, QUIET_SHARE / 2))
        return (max(fine, _coarse(sight)),)


def _coarse(sight: Sight) -> float:
    """Noise of the half picture along the motion; 0 where there is no frame before."""
    moved = sight.moved_before
    if moved is None:
        return 0.0
    here, there = (picture.astype(np.float32) for picture in (sight.here.half, moved))
    height, width = here.shape
    size = width // HALF_PX, height // HALF_PX
    if min(size) < 1:
        return 0.0

    def means(values: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        part = values[: size[1] * HALF_PX, : size[0] * HALF_PX]
        return np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA), np.float32)

    both = here + there
    level = means(both) / 2
    rest = means(both * both) - np.square(means(both))
    apart = means(np.square(here - there)) / 2
    good = (level > 8) & (level < 247)
    if int(good.sum()) < 4:
        return 0.0
    plain = rest[good] <= np.quantile(rest[good], PLAIN_SHARE)
    return float(np.sqrt(np.median(apart[good][plain])))
