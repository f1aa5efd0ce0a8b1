"""Facts for every frame of a reel, filled in as they become known: level, cuts, dirt found."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import numpy.typing as npt

from grevin.core.errors import UnreadableFrameError
from grevin.core.measure.cuts import Small, is_cut, small_picture
from grevin.core.picture.source import FrameSource
from grevin.core.progress import Progress

NOT_KNOWN = -1.0
LEAST_SPAN = 40.0  # 8-bit levels: a curve over less would make noise look like flicker

Frames = npt.NDArray[np.int64]
Values = npt.NDArray[np.float64]


class Lanes:
    """Values per frame; -1 where nothing is known yet. Filled by one thread, read by another.

    Attributes:
        level: (N,) float32 mean luma, 8-bit levels.
        dirt: (N,) float32 number of specks found.
        cut: (N,) bool, frames before which there is a cut.
    """

    def __init__(self, length: int) -> None:
        self.level = np.full(length, NOT_KNOWN, np.float32)
        self.dirt = np.full(length, NOT_KNOWN, np.float32)
        self.cut = np.zeros(length, np.bool_)

    def levels(self, starts: Frames, stops: Frames) -> Values:
        """Mean of the known levels in runs of frames [start, stop); NaN where none is known."""
        known = self.level >= 0
        sums = np.concatenate([[0.0], np.cumsum(np.where(known, self.level, 0.0))])
        counts = np.concatenate([[0], np.cumsum(known)])
        number = counts[stops] - counts[starts]
        return np.where(number > 0, (sums[stops] - sums[starts]) / np.maximum(number, 1), np.nan)

    def level_span(self) -> tuple[float, float]:
        """Lowest and highest known level, at least `LEAST_SPAN` apart, so that a steady reel looks steady."""
        known = self.level[self.level >= 0]
        if known.size == 0:
            return 0.0, LEAST_SPAN
        low, high = float(known.min()), float(known.max())
        missing = max(0.0, LEAST_SPAN - (high - low))
        return low - missing / 2, high + missing / 2

    def most_dirt(self, starts: Frames, stops: Frames) -> Values:
        """Largest known number of specks in runs of frames (peaks stay visible); -1 where none is known."""
        most = [self.dirt[start:stop].max(initial=NOT_KNOWN) for start, stop in zip(starts, stops, strict=True)]
        return np.array(most, np.float64)

    def cuts(self) -> list[int]:
        """First frames of shots, without frame 0."""
        return [int(frame) for frame in np.nonzero(self.cut)[0]]

    def cut_before(self, frame: int) -> bool | None:
        """Whether `frame` is the first of a shot; None while that is not measured."""
        last = min(frame + 1, len(self.level) - 1)  # a cut is told from the frames on both sides
        known = self.level[frame] >= 0 and self.level[last] >= 0
        return bool(self.cut[frame]) if known else None

    def forget_dirt(self) -> None:
        """The settings changed: what was found before does not count."""
        self.dirt[:] = NOT_KNOWN


def measure_levels(
    source: FrameSource, lanes: Lanes, progress: Progress, unreadable: Callable[[int, str], None] | None = None
) -> Iterator[int]:
    """Fill level and cuts, frame after frame; yields each frame's number when it is known.

    Frames that cannot be read are told to `unreadable`, number and sentence, and passed over.
    """
    progress.begin(len(source), "Measuring")
    last: list[Small] = []
    for number in range(len(source)):
        try:
            luma = source.frame(number).luma8()
        except UnreadableFrameError as fault:
            last = []
            if unreadable is not None:
                unreadable(number, fault.what)
            progress.advance()
            continue
        lanes.level[number] = luma.mean()
        last = [*last[-3:], small_picture(luma)]
        if len(last) >= 3:
            before = last[-4] if len(last) >= 4 else None
            lanes.cut[number - 1] = is_cut(before, last[-3], last[-2], last[-1])
        progress.advance()
        yield number
    if len(last) >= 2:
        lanes.cut[-1] = is_cut(last[-3] if len(last) >= 3 else None, last[-2], last[-1], None)
