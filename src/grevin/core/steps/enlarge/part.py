"""A part of a picture and of the larger one that is made of it: all of both, or what is seen and what it is made of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from grevin.core.picture.levels import Plane
from grevin.core.picture.resampling import KERNELS, Kernel, Places, resampled

MARGIN_PX = 28  # of the source beside what is wanted: as far as network, interpolation, giving back and halos reach
DOWN = KERNELS["cubic"]


@dataclass(frozen=True)
class Axis:
    """Lines or columns of a part.

    Attributes:
        small, large: how many the whole source and the whole result have.
        given: those of the source that are worked on.
        made: those of the result that are made of them.
        wanted: those of the result that are right: what lies beside them misses its surroundings.
    """

    small: int
    large: int
    given: range
    made: range
    wanted: range

    @classmethod
    def of(cls, small: int, large: int, wanted: range) -> Axis:
        """For some lines or columns of the result."""
        first = max(0, wanted.start * small // large - MARGIN_PX)
        stop = min(small, -(-wanted.stop * small // large) + MARGIN_PX)
        made = range(-(-first * large // small), max(wanted.stop, stop * large // small))
        return cls(small, large, range(first, stop), made, wanted)

    def up(self, times: int) -> Places:
        """Where the made ones lie among the given ones, which were brought to so many times their number."""
        ratio = times * self.small / self.large
        return np.asarray((np.array(self.made) + 0.5) * ratio - 0.5 - times * self.given.start)

    def down(self) -> Places:
        """Where the given ones lie among the made ones."""
        ratio = self.large / self.small
        return np.asarray((np.array(self.given) + 0.5) * ratio - 0.5 - self.made.start)


@dataclass(frozen=True)
class Part:
    """Lines and columns of a part."""

    lines: Axis
    columns: Axis

    @classmethod
    def whole(cls, small: tuple[int, int], large: tuple[int, int]) -> Part:
        """All of a picture; sizes are (H, W)."""
        return cls.seen(small, large, range(large[0]), range(large[1]))

    @classmethod
    def seen(cls, small: tuple[int, int], large: tuple[int, int], lines: range, columns: range) -> Part:
        """Some lines and columns of the result."""
        return cls(Axis.of(small[0], large[0], lines), Axis.of(small[1], large[1], columns))

    def given(self, plane: Plane) -> Plane:
        """The part of a whole plane of the source."""
        lines, columns = self.lines.given, self.columns.given
        return np.ascontiguousarray(plane[lines.start : lines.stop, columns.start : columns.stop])

    def up(self, plane: Plane, kernel: Kernel, times: int = 1) -> Plane:
        """What is given, at so many times its size, in the size of what is made."""
        if (self.lines.small * times, self.columns.small * times) == (self.lines.large, self.columns.large):
            across, down = (
                slice(axis.made.start - times * axis.given.start, axis.made.stop - times * axis.given.start)
                for axis in (self.columns, self.lines)
            )
            return plane[down, across].copy()
        return resampled(plane, self.lines.up(times), self.columns.up(times), kernel)

    def down(self, made: Plane) -> Plane:
        """What is made, in the size of what is given."""
        return resampled(made, self.lines.down(), self.columns.down(), DOWN)

    def times(self, scale: int) -> float:
        """By how much what was made so many times as large has still to grow along the axis that grows less."""
        return min(axis.large / (scale * axis.small) for axis in (self.lines, self.columns))

    def wanted(self, made: Plane) -> Plane:
        """The part of what is made that is right."""
        lines, columns = (
            slice(axis.wanted.start - axis.made.start, axis.wanted.stop - axis.made.start)
            for axis in (self.lines, self.columns)
        )
        return made[lines, columns]
