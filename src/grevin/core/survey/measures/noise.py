"""How much noise there is."""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from grevin.core.survey.measures.base import Depth, Series, Sight

# Immerkaer 1996, "Fast noise variance estimation", doi:10.1006/cviu.1996.0060: a kernel that lines and slopes pass by
KERNEL = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
KERNEL_NORM = 6.0
MAD_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution
QUIET_SHARE = 0.25  # of the blocks, those with the least texture
BLOCK_PX = 16


class Noise:
    """Standard deviation of the noise in the quietest quarter of the picture."""

    series: ClassVar[tuple[Series, ...]] = (Series("noise", "levels of 255", "standard deviation of the noise"),)
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.here.luma
        residue = cv2.filter2D(luma, cv2.CV_32F, KERNEL / KERNEL_NORM)[1:-1, 1:-1]
        rows, columns = residue.shape[0] // BLOCK_PX, residue.shape[1] // BLOCK_PX
        if rows * columns < 4:
            return (MAD_TO_SIGMA * float(np.median(np.abs(residue))),)
        part = residue[: rows * BLOCK_PX, : columns * BLOCK_PX]
        squares = cv2.resize(cv2.multiply(part, part), (columns, rows), interpolation=cv2.INTER_AREA)
        sigma = np.sqrt(squares).ravel()
        clipped = cv2.resize(luma, (columns, rows), interpolation=cv2.INTER_AREA).ravel()
        sigma = sigma[(clipped > 8) & (clipped < 247)] if np.any((clipped > 8) & (clipped < 247)) else sigma
        return (float(np.quantile(sigma, QUIET_SHARE / 2)),)
