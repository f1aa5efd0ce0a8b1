"""Hard cuts: where one shot ends and the next begins.

Rule: the difference of two neighbouring frames, taken on small pictures, is a cut where it is large in itself,
stands clearly above the differences before and after it (fast motion keeps all of them high, a flash raises two),
and the two pictures do not look alike (low correlation). Common practice, no single source.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8

SMALL_SIZE = (64, 48)  # width, height: small enough that motion and dirt hardly count
LEAST_DIFFERENCE = 7.0  # 8-bit levels, mean over the small picture
STANDS_ABOVE = 2.2  # times the larger of the two neighbouring differences
ALIKE = 0.86  # correlation above which two pictures show the same view

Small = npt.NDArray[np.float32]


def small_picture(luma: Luma8) -> Small:
    """(48, 64) float32 miniature of an (H, W) uint8 luma picture, levels 0..255."""
    return np.asarray(cv2.resize(luma, SMALL_SIZE, interpolation=cv2.INTER_AREA), np.float32)


def difference(first: Small, second: Small) -> float:
    """Mean absolute difference of two miniatures, 8-bit levels."""
    return float(np.abs(first - second).mean())


def correlation(first: Small, second: Small) -> float:
    """Correlation of two miniatures, -1..1; 1 where either is flat and both are level."""
    a, b = first - first.mean(), second - second.mean()
    scale = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return float((a * b).sum()) / scale if scale > 0 else 1.0


def is_cut(before: Small | None, last: Small, first: Small, after: Small | None) -> bool:
    """Whether a cut lies between `last` and `first`.

    Args:
        before: miniature of the frame before `last`, None at the head of the reel.
        last: miniature of the frame before the place in question.
        first: miniature of the frame after it.
        after: miniature of the frame after `first`, None at the end.
    """
    step = difference(last, first)
    if step < LEAST_DIFFERENCE or correlation(last, first) > ALIKE:
        return False
    around = [0.0]
    if before is not None:
        around.append(difference(before, last))
    if after is not None:
        around.append(difference(first, after))
    return step > STANDS_ABOVE * max(around)
