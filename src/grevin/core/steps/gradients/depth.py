"""How far apart the code values of a plane lie: one, or more where its pictures once had fewer bits."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

TAIL = 0.02  # of the samples at either end, where code values come so seldom that gaps mean nothing
SELDOM = 1e-5  # of the samples: a code value that comes no more often is a stray one
FEWEST = 8  # code values to tell a step by: drawn pictures have a few flat ones, wherever they lie


class Steps(NamedTuple):
    """Code values a step, and the code value of one of them."""

    size: float
    first: float

    def __bool__(self) -> bool:
        """Whether there are any."""
        return self.size > 0


NO_STEP = Steps(0.0, 0.0)


def steps_in(planes: Sequence[npt.NDArray[Any]], most: int) -> Steps:
    """The steps of one plane over several frames.

    Args:
        planes: (H, W) code values each; those that are not whole are left out.
        most: the largest code value.

    Returns:
        The steps; none where no sample is a whole code value.
    """
    counts = np.zeros(most + 1, np.int64)
    for plane in planes:
        values = plane.ravel() if plane.dtype.kind == "u" else plane[plane == np.rint(plane)]
        counts += np.bincount(np.clip(values, 0, most).astype(np.int64), minlength=most + 1)
    if not counts.any():
        return NO_STEP
    so_far = np.cumsum(counts) / counts.sum()
    seen = np.flatnonzero(
        (counts > SELDOM * counts.sum()) & (so_far > TAIL) & (so_far - counts / counts.sum() < 1 - TAIL)
    )
    if len(seen) < FEWEST:
        return Steps(1.0, 0.0)
    gaps = np.diff(seen)
    even = gaps.max() - gaps.min() <= 1 and gaps.min() >= 2
    return Steps(float((seen[-1] - seen[0]) / len(gaps)), float(seen[0])) if even else Steps(1.0, 0.0)
