"""How much noise there is."""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from grevin.core.survey.measures.base import Series, Sight

# Immerkaer 1996, "Fast noise variance estimation", doi:10.1006/cviu.1996.0060: a kernel that lines and slopes pass by
KERNEL = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
KERNEL_NORM = 6.0
MAD_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution
QUIET_SHARE = 0.25  # of the blocks, those with the least texture
BLOCK_PX = 16


class Noise:
    """Standard deviation of the noise in the quietest quarter of the picture."""

    series: ClassVar[tuple[Series, ...]] = (Series("noise", "levels of 255", "standard deviation of the noise"),)
    quick: ClassVar[bool] = False

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.luma.astype(np.float32)
        residue = cv2.filter2D(luma, cv2.CV_32F, KERNEL)[1:-1, 1:-1] / KERNEL_NORM
        rows, columns = residue.shape[0] // BLOCK_PX, residue.shape[1] // BLOCK_PX
        if rows * columns < 4:
            return (MAD_TO_SIGMA * float(np.median(np.abs(residue))),)
        part = residue[: rows * BLOCK_PX, : columns * BLOCK_PX].reshape(rows, BLOCK_PX, columns, BLOCK_PX)
        sigma = np.sqrt(np.square(part).mean(axis=(1, 3))).ravel()
        clipped = cv2.resize(luma, (columns, rows), interpolation=cv2.INTER_AREA).ravel()
        sigma = sigma[(clipped > 8) & (clipped < 247)] if np.any((clipped > 8) & (clipped < 247)) else sigma
        return (float(np.quantile(sigma, QUIET_SHARE / 2)),)
