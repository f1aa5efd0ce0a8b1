"""Which pictures of a shot were coded by themselves: it tells one family of codecs from another."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from grevin.core.measure.blocks import Grid
from grevin.core.measure.quantised import SIDE, combed
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import levels_of
from grevin.core.progress import Progress

RUN = 32  # frames one after the other: two groups as discs and broadcasts have them


def combs_of(
    frames: range, frame: Callable[[int], Frame], grids: tuple[Grid, Grid], progress: Progress
) -> npt.NDArray[np.float64]:  # fmt: skip
    """(n,) how far the first frames are combed; none where blocks do not lie as they were coded.

    Args:
        frames: of a shot.
        frame: gives one of them.
        grids: of brightness, across and down; empty ones where none shows.
        progress: told.
    """
    if any(grid and grid.period != SIDE for grid in grids):
        return np.zeros(0)
    run = frames[:RUN]
    progress.begin(len(run), "Looking how the pictures were coded")
    right, down = (int(grid.offset) if grid else 0 for grid in grids)
    found = []
    for number in run:
        one = frame(number)
        found.append(combed(levels_of(one)[1 if one.format.model == "rgb" else 0], right, down))
        progress.advance()
    return np.array(found)
