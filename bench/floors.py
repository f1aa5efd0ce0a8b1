"""What anybody could use instead of the dirt step: plain filters, measured in the same run."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import estimate_flow, positions, sample
from grevin.core.picture.source import FrameSource

Luma = npt.NDArray[np.uint8]
INPAINT_RADIUS_PX = 3.0  # common practice


def median_3x3(source: FrameSource, number: int) -> Luma:
    """In space: a 3x3 median of the frame."""
    return np.asarray(cv2.medianBlur(source.frame(number).luma8(), 3), np.uint8)


def median_5x5(source: FrameSource, number: int) -> Luma:
    """In space: a 5x5 median of the frame."""
    return np.asarray(cv2.medianBlur(source.frame(number).luma8(), 5), np.uint8)


def median_of_3_frames(source: FrameSource, number: int) -> Luma:
    """In time: the median with the frames before and after, motion not followed."""
    return _middle(*_three(source, number))


def median_along_motion(source: FrameSource, number: int) -> Luma:
    """In time: the median with the frames before and after, both moved onto this one."""
    first, here, last = _three(source, number)
    moved = [sample(other, *positions(estimate_flow(here, other))) for other in (first, last)]
    return _middle(np.asarray(moved[0], np.uint8), here, np.asarray(moved[1], np.uint8))


def inpainted(luma: Luma, truth: npt.NDArray[np.bool_]) -> Luma:
    """In space, told by the truth where the dirt is: Telea's inpainting."""
    return np.asarray(cv2.inpaint(luma, truth.view(np.uint8), INPAINT_RADIUS_PX, cv2.INPAINT_TELEA), np.uint8)


FLOORS: dict[str, Callable[[FrameSource, int], Luma]] = {
    "median_3x3": median_3x3, "median_5x5": median_5x5, "median_of_3_frames": median_of_3_frames,
    "median_along_motion": median_along_motion,
}  # fmt: skip


def _three(source: FrameSource, number: int) -> tuple[Luma, Luma, Luma]:
    near = [min(max(number + offset, 0), len(source) - 1) for offset in (-1, 0, 1)]
    first, here, last = (source.frame(n).luma8() for n in near)
    return first, here, last


def _middle(first: Luma, here: Luma, last: Luma) -> Luma:
    return np.asarray(cv2.max(cv2.min(first, here), cv2.min(cv2.max(first, here), last)), np.uint8)
