"""A soft gradient behind the code values that it was rounded to.

Rounding spreads a plane by a twelfth of a squared code value and no more (Bennett 1948, "Spectra of quantized signals",
from memory). Over windows that grow for as long as one plane explains all that they hold, a plane is fitted and
averaged over all windows that cover a place (which window is the largest that still holds is a question of Lepski's,
1990; sums of box means as in He and others 2010, "Guided image filtering"; both from memory). Noise, texture and edges
spread further: there nothing is fitted. No sample leaves what would have been rounded to its code value.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

Values = npt.NDArray[np.float64]

ROUNDING = 1.0 / 12.0  # variance of what rounding adds, squared code values (Bennett 1948)
ROOM = 1.25  # times that are still taken for a plane's: some windows hold more than one of its steps, others less
INNER_RADIUS, RADIUS = 2, 4  # px, of the smallest window and of those at each size
SIZES = 5  # each half of the one before: windows of 9 to 129 px across
# Of the windows round a place, those in which a plane holds: up to two of five hold beside a line of one pixel
NONE_HOLD, ALL_HOLD = 0.4, 0.6
WITHIN = 0.499  # of a step, so that a sample is rounded to where it came from


def softened(steps: Values) -> tuple[Values, Values]:
    """What was rounded, where it is soft.

    Args:
        steps: (H, W) float64, in steps: rounded values are whole numbers.

    Returns:
        (H, W) the same without steps, no farther off than rounding goes; and (H, W) 0..1, how far windows of
        9 px and more agree there.
    """
    soft, holds = steps.copy(), np.ones_like(steps)
    wide, small = np.zeros_like(steps), steps
    for size in range(-1, SIZES):
        radius = INNER_RADIUS if size < 0 else RADIUS
        if size > 0:
            height, width = (side // 2 for side in small.shape)
            even = small[: 2 * height, : 2 * width]
            small = np.asarray(cv2.resize(even, (width, height), interpolation=cv2.INTER_AREA), np.float64)
        if min(small.shape) < 2 * radius + 1:
            break
        planes, share = _planes(small, radius)
        share = np.clip((share - NONE_HOLD) / (ALL_HOLD - NONE_HOLD), 0.0, 1.0)
        if size > 0:
            planes, share = (
                _enlarged(planes, 2**size, steps.shape),
                np.clip(_enlarged(share, 2**size, steps.shape), 0, 1),
            )
        holds = np.minimum(holds, share)
        if not holds.any():
            break
        soft += holds * (planes - soft)
        wide = holds if size == 0 else wide
    return np.clip(soft, steps - WITHIN, steps + WITHIN), wide


def _planes(values: Values, radius: int) -> tuple[Values, Values]:
    """(H, W) mean of the planes of all windows that cover a place and hold, and which share of them does."""
    height, width = values.shape
    down, across = np.mgrid[0:height, 0:width].astype(np.float64)
    middle = float(values.mean())
    own = values - middle
    spread = radius * (radius + 1) / 3.0  # variance of the places along one side
    mean = _boxed(own, radius)
    right = (_boxed(own * across, radius) - mean * across) / spread
    below = (_boxed(own * down, radius) - mean * down) / spread
    left_over = _boxed(own * own, radius) - mean * mean - spread * (right * right + below * below)
    inside = np.zeros(values.shape)
    inside[radius : height - radius, radius : width - radius] = 1.0
    holding = inside * (left_over <= ROOM * ROUNDING)
    right, below = right * holding, below * holding
    share = _boxed(holding, radius)
    total = _boxed(holding * mean - right * across - below * down, radius)
    total += across * _boxed(right, radius) + down * _boxed(below, radius)
    own = np.divide(total, share, out=own, where=share > 0.5 / (2 * radius + 1) ** 2)
    return own + middle, share / _boxed(inside, radius)


def _enlarged(values: Values, times: int, shape: tuple[int, ...]) -> Values:
    """Values of a smaller picture at the full size, going on evenly beyond the middles of its outermost samples."""
    around = np.pad(values, 1, mode="reflect", reflect_type="odd")
    height, width = around.shape
    large = cv2.resize(around, (times * width, times * height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(large[times : times + shape[0], times : times + shape[1]])


def _boxed(values: Values, radius: int) -> Values:
    side = 2 * radius + 1
    return np.asarray(cv2.boxFilter(values, cv2.CV_64F, (side, side), borderType=cv2.BORDER_CONSTANT))
