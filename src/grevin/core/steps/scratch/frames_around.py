"""Frames around one that is mended, which show what lies under a scratch: where it moved, or the picture did."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from grevin.core.motion.flow import Flow, straightened
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.steps.scratch.lines import Line, course_of
from grevin.core.steps.scratch.mending import Other
from grevin.core.steps.seen import Window

REACH = 8  # frames that may show what a scratch hides
FLOW_BENT_PX = 12  # round a scratch, where flow sticks to it
CLEAR_OF_ROWS = (0.3, 0.9)  # shares of its rows that have to be clear on another frame: a near one, and a far one
KNOWN = 0.8  # of its rows, that have to be known as the scratch on another frame where it lies beside itself there
HALF = 0.4  # of a scratch's width: so far beside itself it shows some of what it hides
ROOM_PX = 2.0  # beyond its own width, by which the picture has to have moved on another frame


class FramesAround:
    """The frames around one that is mended: the way to them, straight under its scratches, and their own scratches."""

    def __init__(self, window: Window, scratches: Mask, of: Callable[[Window], Mask]) -> None:
        """Nothing is worked out yet; `of` tells the scratches of another frame."""
        self._window, self._of = window, of
        self._bent = grow(scratches, FLOW_BENT_PX)
        self._flows: dict[int, Flow] = {}
        self._others: dict[int, Other] = {}

    def flow(self, offset: int) -> Flow:
        """(H, W, 2) to a frame."""
        if offset not in self._flows:
            self._flows[offset] = straightened(self._window.motion(offset, "quick"), self._bent)
        return self._flows[offset]

    def other(self, offset: int) -> Other:
        """A frame, as it is looked at."""
        if offset not in self._others:
            there = self._window.at(offset)
            self._others[offset] = Other(there.rgb(), self.flow(offset), grow(self._of(there), 2))
        return self._others[offset]

    def showing(self, line: Line, width: int) -> list[Other]:
        """Frames on which the picture has moved away from under a scratch, or the scratch from over it."""
        course, number = course_of(self._window.study(), line.track), self._window.number
        here = course.get(number, float(line.centre.mean()))  # a line that was bridged was not found on this frame
        found = []
        for side in (-1, 1):
            if not self._window.has(side):
                continue
            step = self.flow(side)[line.rows, np.clip(line.centre.astype(int), 0, self._bent.shape[1] - 1), 0]
            apart, wandered = {}, {}
            for away in range(1, REACH + 1):
                if not self._window.has(side * away):
                    break
                wandered[side * away] = course.get(number + side * away, here) - here
                apart[side * away] = np.abs(away * step - wandered[side * away])
            found += [
                self.other(offset) for offset in worth_asking(apart, width)
                if (apart[offset] >= width).all() or self._hides_it(offset, line, wandered[offset])
            ]  # fmt: skip
        return found

    def _hides_it(self, offset: int, line: Line, wandered: float) -> bool:
        """Whether a scratch is known on another frame, where it would be seen beside itself."""
        mask = self.other(offset).mask
        at = np.clip(np.rint(line.centre + wandered).astype(int), 0, mask.shape[1] - 1)
        return bool(mask[line.rows, at].mean() >= KNOWN)


def worth_asking(apart: dict[int, np.ndarray], width: int) -> list[int]:
    """Offsets of the frames that show most for the least way: clear of the scratch, or of half of it.

    Args:
        apart: px by which rows of the scratch lie beside it on each of the frames, the nearest first.
        width: of the scratch, px.
    """
    wanted = []
    for share in CLEAR_OF_ROWS:
        clear = (offset for offset, px in apart.items() if (px >= width + ROOM_PX).mean() >= share)
        wanted.append(next(clear, None))
    if wanted[0] is None and apart:
        farthest = max(apart, key=lambda offset: float(np.median(apart[offset])))
        wanted = [farthest] if float(np.median(apart[farthest])) >= HALF * width else []
    return sorted({offset for offset in wanted if offset is not None}, key=abs)
