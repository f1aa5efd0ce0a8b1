"""Facts for every frame of a reel, filled in as they become known: level, cuts, dirt found."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from grevin.core.errors import MediaError
from grevin.core.measure.cuts import Small, is_cut, small_picture
from grevin.core.picture.source import FrameSource
from grevin.core.progress import Progress

NOT_KNOWN = -1.0


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

    def mean_level(self, frames: range) -> float | None:
        """Mean of the known levels in a run of frames; None if none is known."""
        known = self.level[frames.start : frames.stop]
        known = known[known >= 0]
        return float(known.mean()) if len(known) else None

    def most_dirt(self, frames: range) -> float | None:
        """Largest known number of specks in a run of frames (peaks stay visible); None if none is known."""
        most = float(self.dirt[frames.start : frames.stop].max(initial=NOT_KNOWN))
        return most if most >= 0 else None

    def cuts(self) -> list[int]:
        """First frames of shots, without frame 0."""
        return [int(frame) for frame in np.nonzero(self.cut)[0]]

    def forget_dirt(self) -> None:
        """The settings changed: what was found before does not count."""
        self.dirt[:] = NOT_KNOWN


def measure_levels(source: FrameSource, lanes: Lanes, progress: Progress) -> Iterator[int]:
    """Fill level and cuts, frame after frame; yields each frame's number when it is known.

    Frames that cannot be read are passed over.
    """
    progress.begin(len(source), "Measuring")
    last: list[Small] = []
    for number in range(len(source)):
        try:
            luma = source.frame(number).luma8()
        except MediaError:
            last = []
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
