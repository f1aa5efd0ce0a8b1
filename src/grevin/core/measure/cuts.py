"""Hard cuts: where one shot ends and the next begins.

Rule: the last frame is moved onto the next along the motion between them, on small pictures. Within a shot that
explains the next frame well however fast things move; across a cut it does not: a large difference stays and the
pictures do not look alike. Common practice, no single source. On the open clips of the bench and the demo every
cut has a correlation of at most 0.48 and every other place at least 0.87 (docs/decisions/006).
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8, estimate_flow, positions, sample

SMALL_SIZE = (128, 96)  # width, height: small enough that dirt hardly counts, large enough for motion
LEAST_DIFFERENCE = 6.0  # 8-bit levels, mean over the small picture
UNLIKE = 0.6  # correlation below which the two pictures cannot be of one shot
DOUBTFUL = 0.75  # up to here, the difference must also stand above those before and after
STANDS_ABOVE = 2.5  # times the larger of the two neighbouring differences

Small = npt.NDArray[np.uint8]


def small_picture(luma: Luma8) -> Small:
    """(96, 128) uint8 miniature of an (H, W) uint8 luma picture."""
    return np.asarray(cv2.resize(luma, SMALL_SIZE, interpolation=cv2.INTER_AREA), np.uint8)


def difference_and_likeness(last: Small, first: Small) -> tuple[float, float]:
    """What stays different when `last` is moved onto `first`.

    Returns:
        Mean absolute difference in 8-bit levels, and correlation -1..1 (1 where either is flat).
    """
    moved = sample(last, *positions(estimate_flow(first, last, "quick")))
    a = first.astype(np.float64) - first.mean()
    b = moved.astype(np.float64) - moved.mean()
    scale = float(np.sqrt((a * a).sum() * (b * b).sum()))
    likeness = float((a * b).sum()) / scale if scale > 0 else 1.0
    return float(cv2.absdiff(first, np.asarray(moved)).mean()), likeness


def is_cut(before: Small | None, last: Small, first: Small, after: Small | None) -> bool:
    """Whether a cut lies between `last` and `first`.

    Args:
        before: miniature of the frame before `last`, None at the head of the reel.
        last: miniature of the frame before the place in question.
        first: miniature of the frame after it.
        after: miniature of the frame after `first`, None at the end.
    """
    step, likeness = difference_and_likeness(last, first)
    if step < LEAST_DIFFERENCE or likeness > DOUBTFUL:
        return False
    if likeness < UNLIKE:
        return True
    around = [0.0]
    if before is not None:
        around.append(difference_and_likeness(before, last)[0])
    if after is not None:
        around.append(difference_and_likeness(first, after)[0])
    return step > STANDS_ABOVE * max(around)
