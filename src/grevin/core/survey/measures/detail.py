"""Spatial and temporal information, sharpness."""

from __future__ import annotations

from typing import Any, ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.survey.measures.base import Depth, Series, Sight

LEAST_PX = 3  # of a picture that has an inside


class Detail:
    """SI and TI as in ITU-T P.910 (spread of the Sobel-filtered picture; spread of the difference), and sharpness."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("spatial_information", "levels of 255", "SI of ITU-T P.910"),
        Series("temporal_information", "levels of 255", "TI of ITU-T P.910"),
        Series("sharpness", "ratio", "fine detail (below 2 px) over coarse (2 to 4 px)"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.here.luma
        if min(luma.shape) < LEAST_PX:
            return (float("nan"),) * len(self.series)
        across, down = cv2.Sobel(luma, cv2.CV_32F, 1, 0), cv2.Sobel(luma, cv2.CV_32F, 0, 1)
        spatial = _spread(cv2.magnitude(across, down)[1:-1, 1:-1])
        before = sight.before
        temporal = float("nan") if before is None else _spread(cv2.subtract(luma, before.luma, dtype=cv2.CV_16S))
        return spatial, temporal, _fine(luma) / max(_fine(sight.here.half), 1e-3)


def _spread(picture: npt.NDArray[Any]) -> float:
    return float(cv2.meanStdDev(picture)[1][0, 0])


def _fine(luma: Luma8) -> float:
    """Spread of what is smaller than about two pixels."""
    picture = luma.astype(np.float32)
    return _spread(cv2.subtract(picture, cv2.GaussianBlur(picture, (0, 0), 1.0)))
