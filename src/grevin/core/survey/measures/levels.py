"""How bright: mean and percentiles of luma, red, green and blue."""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from grevin.core.survey.measures.base import Depth, Series, Sight

SHARES = (0.01, 0.5, 0.99)
CHANNELS = ("luma", "red", "green", "blue")


class Levels:
    """Mean and the 1st, 50th and 99th percentile of each channel, in 8-bit levels."""

    series: ClassVar[tuple[Series, ...]] = tuple(
        Series(f"level_{channel}_{kind}", "levels of 255", f"{words} of {channel}")
        for channel in CHANNELS
        for kind, words in (("mean", "mean"), ("p01", "1st percentile"), ("p50", "median"), ("p99", "99th percentile"))
    )
    depth: ClassVar[Depth] = "first"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        planes = [sight.here.luma, *cv2.split(sight.here.half_rgb)]
        return tuple(value for plane in planes for value in _figures(np.asarray(plane, np.uint8)))


def _figures(plane: np.ndarray) -> tuple[float, ...]:
    counts = np.bincount(plane[::2, ::2].ravel(), minlength=256)
    falling = np.cumsum(counts) / counts.sum()
    mean = float(counts @ np.arange(256) / counts.sum())
    return mean, *(float(level) for level in np.searchsorted(falling, SHARES))
