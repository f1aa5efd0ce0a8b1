"""Spatial and temporal information, sharpness."""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from grevin.core.survey.measures.base import Series, Sight


class Detail:
    """SI and TI as in ITU-T P.910 (spread of the Sobel-filtered picture; spread of the difference), and sharpness."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("spatial_information", "levels of 255", "SI of ITU-T P.910"),
        Series("temporal_information", "levels of 255", "TI of ITU-T P.910"),
        Series("sharpness", "ratio", "fine detail (below 2 px) over coarse (2 to 4 px)"),
    )
    quick: ClassVar[bool] = False

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.luma.astype(np.float32)
        across, down = cv2.Sobel(luma, cv2.CV_32F, 1, 0), cv2.Sobel(luma, cv2.CV_32F, 0, 1)
        spatial = float(cv2.magnitude(across, down)[1:-1, 1:-1].std())
        before = sight.before
        temporal = float("nan") if before is None else float(cv2.subtract(luma, before.luma.astype(np.float32)).std())
        fine = float((luma - cv2.GaussianBlur(luma, (0, 0), 1.0)).std())
        half = sight.half.astype(np.float32)
        coarse = float((half - cv2.GaussianBlur(half, (0, 0), 1.0)).std())
        return spatial, temporal, fine / max(coarse, 1e-3)
