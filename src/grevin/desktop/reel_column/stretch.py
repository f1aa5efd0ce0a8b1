"""The stretch of a reel that a chart shows. Plain arithmetic, tested without a window."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from grevin.core.survey.lanes import Frames

LEAST_SHOWN = 24  # frames: no closer
ZOOM_STEP = 1.25  # a notch of the wheel
MOVE_SHARE = 0.125  # of what is shown, a notch of the wheel with Shift


@dataclass(frozen=True)
class Stretch:
    """Frames from `first` up to `stop` of a reel of `length` frames; fractions are allowed at both ends."""

    length: int = 0
    first: float = 0.0
    stop: float = 1.0

    @classmethod
    def whole(cls, length: int) -> Stretch:
        """All of a reel."""
        return cls(length, 0.0, float(max(1, length)))

    @property
    def span(self) -> float:
        """How many frames are shown."""
        return self.stop - self.first

    @property
    def frames(self) -> range:
        """Those that are shown, in whole numbers."""
        return range(int(self.first), min(self.length, int(np.ceil(self.stop))))

    def at(self, first: float, span: float) -> Stretch:
        """Another stretch of the same reel, held inside it."""
        span = min(max(span, min(LEAST_SHOWN, self.length)), float(max(1, self.length)))
        first = min(max(0.0, first), max(0.0, self.length - span))
        return Stretch(self.length, first, first + span)

    def zoomed(self, share: float, notches: float) -> Stretch:
        """Closer (notches above 0) or farther, keeping what lies at a share of it where it is."""
        share = min(1.0, max(0.0, share))
        wanted = min(max(self.span / ZOOM_STEP**notches, LEAST_SHOWN), float(max(1, self.length)))
        return self.at(self.first + share * (self.span - wanted), wanted)

    def moved(self, notches: float) -> Stretch:
        """Towards the beginning (notches above 0) or the end."""
        return self.at(self.first - notches * MOVE_SHARE * self.span, self.span)

    def holding(self, frame: int, near: float) -> Stretch:
        """Moved as little as needed, so that a frame lies no nearer to the ends than a share of what is shown."""
        room = near * self.span
        if frame < self.first + room:
            return self.at(frame - room, self.span)
        return self.at(frame + room - self.span, self.span) if frame > self.stop - room else self

    def share_of(self, frame: float) -> float:
        """Where a frame lies, 0..1 of what is shown."""
        return (frame - self.first) / max(1.0, self.span)

    def frame_at(self, share: float) -> int:
        """The frame at a share of what is shown."""
        return min(max(0, int(self.first + share * self.span)), max(0, self.length - 1))

    def runs(self, count: int) -> tuple[Frames, Frames]:
        """Starts and stops of the runs of frames that fall on each of so many pixels, at least one frame each."""
        edges = np.linspace(self.first, self.stop, count + 1).astype(np.int64)
        starts = np.clip(edges[:-1], 0, max(0, self.length - 1))
        return starts, np.clip(edges[1:], starts + 1, max(1, self.length))
