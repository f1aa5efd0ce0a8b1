"""Whether a picture keeps to the levels that are preferred for exchange: EBU R 103 (version 3)."""

from __future__ import annotations

import cv2
import numpy as np

from grevin.core.picture.colour import code_scale, grey_scale, rgb_affine
from grevin.core.picture.frame import Frame

LOWEST, HIGHEST = -0.05, 1.05  # of R'G'B' and luma: the preferred range
MOST_OUTSIDE = 0.01  # of the picture: less is no error
ROUNDING = 1e-3  # of the nominal range: code values on the very edge are inside


def outside_range(frame: Frame) -> float:
    """Share of a picture, 0 to 1, in which R', G', B' or luma lies outside -5 to 105 %.

    Luma is averaged over what shares a chroma sample, as the recommendation has fine overshoots filtered before they
    are judged. Pictures of floating-point samples are linear light, which the recommendation is not about: 0.
    """
    fmt = frame.format
    if fmt.sample == "half":
        return 0.0
    planes = [plane.astype(np.float32) for plane in frame.planes[: fmt.colour_planes]]
    if fmt.model != "yuv":
        span, offset = grey_scale(fmt)
        values = np.asarray(cv2.merge(planes) - np.float32(offset)) * np.float32(1.0 / span)
    else:
        height, width = planes[1].shape
        luma = cv2.resize(planes[0], (width, height), interpolation=cv2.INTER_AREA)
        span, offset, _, _ = code_scale(fmt)
        with_luma = np.vstack([rgb_affine(fmt), [1.0 / span, 0.0, 0.0, -offset / span]])
        values = np.asarray(cv2.transform(cv2.merge([luma, *planes[1:]]), with_luma), np.float32)
    # OpenCV's is several times as fast as NumPy over a last axis of three or four
    inside = cv2.inRange(values, (LOWEST - ROUNDING,) * 4, (HIGHEST + ROUNDING,) * 4)
    return 1.0 - cv2.countNonZero(inside) / inside.size
