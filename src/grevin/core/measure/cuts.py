"""Hard cuts: where one shot ends and the next begins.

Rule: the last frame is moved onto the next along the motion between them, on small pictures. Within a shot that
explains the next frame well however fast things move; across a cut it does not: a large difference stays and the
pictures do not look alike. Common practice, no single source. On the open clips of the bench and the demo every
cut has a correlation of at most 0.48 and every other place at least 0.87 (docs/decisions/006). A flash, a white or
black frame or one that is torn is no cut: the frames on both sides of it are alike.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8, estimate_flow, positions, sample

SMALL_SIZE = (128, 96)  # width, height: small enough that dirt hardly counts, large enough for motion
LEAST_DIFFERENCE = 6.0  # 8-bit levels, mean over the small picture
FLAT = 1.5  # 8-bit levels, spread of a small picture that shows nothing
FADED = 12.0  # 8-bit levels: from a fainter picture to an empty one is the end of a fade
FOREIGN = 0.3  # correlation below which the two pictures cannot be of one shot
UNLIKE = 0.6  # below this the difference must be a little larger than those before and after, as things may be fast
DOUBTFUL = 0.75  # up to here it must stand well above them
STANDS_ABOVE = {"unlike": 1.5, "doubtful": 2.5}  # times the larger of the two neighbouring differences
TOGETHER = 0.5  # of the difference at an interruption, that between the frames around it
LONGEST_INTERRUPTION = 3  # frames that may lie between two that belong together

Small = npt.NDArray[np.uint8]


def small_picture(luma: Luma8) -> Small:
    """(96, 128) uint8 miniature of an (H, W) uint8 luma picture."""
    return np.asarray(cv2.resize(luma, SMALL_SIZE, interpolation=cv2.INTER_AREA), np.uint8)


def difference_and_likeness(last: Small, first: Small) -> tuple[float, float]:
    """What stays different when `last` is moved onto `first`.

    Returns:
        Mean absolute difference in 8-bit levels, and correlation -1..1 (where one is
        empty: 0, or 1 if the other is faint).
    """
    moved = sample(last, *positions(estimate_flow(first, last, "quick")))
    difference = float(cv2.absdiff(first, np.asarray(moved)).mean())
    spreads = sorted(float(picture.std()) for picture in (last, first))
    if spreads[0] < FLAT:
        return difference, 1.0 if spreads[1] < FADED else 0.0
    a = first.astype(np.float64) - first.mean()
    b = moved.astype(np.float64) - moved.mean()
    scale = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return difference, float((a * b).sum()) / scale if scale > 0 else 1.0


def is_cut(small: Callable[[int], Small | None]) -> bool:
    """Whether a cut lies before a frame.

    Args:
        small: miniature of the frame that many places from it; None where there is none. -1 and 0 must be there.
    """
    last, first = small(-1), small(0)
    assert last is not None
    assert first is not None
    step, likeness = difference_and_likeness(last, first)
    if step < LEAST_DIFFERENCE or likeness > DOUBTFUL:
        return False
    if likeness >= FOREIGN:
        above = STANDS_ABOVE["doubtful" if likeness >= UNLIKE else "unlike"]
        if step <= above * _largest_beside(small, last, first):
            return False
    return not _interrupted(small, step)


def _largest_beside(small: Callable[[int], Small | None], last: Small, first: Small) -> float:
    before, after = small(-2), small(1)
    around = [0.0]
    if before is not None:
        around.append(difference_and_likeness(before, last)[0])
    if after is not None:
        around.append(difference_and_likeness(first, after)[0])
    return max(around)


def _interrupted(small: Callable[[int], Small | None], step: float) -> bool:
    """Whether a frame before and one after, with at most a few between them, belong together."""
    for apart in range(1, LONGEST_INTERRUPTION + 1):
        for back in range(apart + 1):
            one, other = small(-1 - back), small(apart - back)
            if one is not None and other is not None and belong_together(one, other, step):
                return True
    return False


def _likeness_displaced(one: Small, other: Small) -> float:
    """Correlation of the middle of a picture with the place in the other that it fits best: pans run far."""
    height, width = one.shape
    middle = one[height // 4 : -height // 4, width // 4 : -width // 4]
    if float(middle.std()) < FLAT or float(other.std()) < FLAT:
        return 0.0
    return float(cv2.matchTemplate(other, middle, cv2.TM_CCOEFF_NORMED).max())


def belong_together(one: Small, other: Small, step: float = 0.0) -> bool:
    """Whether two pictures are of one shot; `step` is the difference across the place in question, if there is one."""
    difference, likeness = difference_and_likeness(one, other)
    likeness = max(likeness, _likeness_displaced(one, other))
    return likeness > DOUBTFUL or (likeness > FOREIGN and difference < max(LEAST_DIFFERENCE, TOGETHER * step))
