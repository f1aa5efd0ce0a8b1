"""Frame maps: which frame of the source each frame of an output comes from, and which frames were made anew."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
import numpy.typing as npt

Numbers = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Timeline:
    """A frame map.

    Attributes:
        length: frames of the source.
        rate: frames per second of the output.
        sources: (N,) int64, for each output frame the source frame that it shows or stands for; never falling.
        made: (N,) bool, output frames that are no copies.
    """

    length: int
    rate: Fraction
    sources: Numbers
    made: Flags

    @classmethod
    def same(cls, length: int, rate: Fraction) -> Timeline:
        """Every frame where it was."""
        return cls(length, rate, np.arange(length, dtype=np.int64), np.zeros(length, np.bool_))

    def __len__(self) -> int:
        return len(self.sources)

    def then(self, later: Timeline) -> Timeline:
        """This map, and a later one over its output, as one."""
        return Timeline(self.length, later.rate, self.sources[later.sources], self.made[later.sources] | later.made)

    def output_of(self, source: int) -> int:
        """The first output frame that shows a source frame, or the last one before it where it was left out."""
        first = int(np.searchsorted(self.sources, source, "left"))
        if first < len(self) and self.sources[first] == source:
            return first
        return min(max(0, int(np.searchsorted(self.sources, source, "right")) - 1), max(0, len(self) - 1))

    def outputs_in(self, frames: range) -> range:
        """The output frames that come from a run of source frames."""
        first, stop = (int(np.searchsorted(self.sources, edge, "left")) for edge in (frames.start, frames.stop))
        return range(first, stop)

    def left_out(self) -> Numbers:
        """Source frames that no output frame stands for."""
        return np.asarray(np.setdiff1d(np.arange(self.length), self.sources), np.int64)

    @property
    def moves(self) -> bool:
        """Whether any frame lies elsewhere than before."""
        return len(self) != self.length or bool(np.any(self.sources != np.arange(len(self))))

    def equals(self, other: Timeline) -> bool:
        """Whether both give the same frames at the same rate."""
        same = self.rate == other.rate and np.array_equal(self.sources, other.sources)
        return same and np.array_equal(self.made, other.made)

    def seconds(self, outputs: range | None = None) -> Fraction:
        """How long a run of the output plays, or all of it."""
        return Fraction(len(self) if outputs is None else len(outputs)) / self.rate
