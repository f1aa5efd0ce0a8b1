"""Dropouts, counted: the finder of the dropout step on the fields of some frames.

Only where the pictures are fields, for that is what tape has; on one frame of eight, for it takes as long as all other
measures together.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar, TypeVar

import numpy as np

from grevin.core.motion.flow import Luma8
from grevin.core.picture.colour import Rgb, to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.steps.dropout.settings import DropoutSettings
from grevin.core.steps.dropout.step import taken
from grevin.core.survey.measures.base import Depth, Series, Sight

EVERY = 8  # frames

Made = TypeVar("Made")


class DropoutCount:
    """Number of streaks on both fields of a frame."""

    series: ClassVar[tuple[Series, ...]] = (Series("dropout_count", "streaks", "dropouts"),)
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        here, before, after = sight.here.frame, sight.before, sight.after
        if here.number % EVERY or before is None or after is None or not here.format.has_fields:
            return (float("nan"),)
        count = 0
        for parity in (0, 1):
            fields = {by: _field(frame, parity) for by, frame in ((-1, before.frame), (0, here), (1, after.frame))}
            count += len(taken(_Fields(fields, 0), (-1, 1), DropoutSettings()))
        return (float(count),)


def _field(frame: Frame, parity: int) -> Frame:
    planes = tuple(np.ascontiguousarray(plane[parity::2]) for plane in frame.planes)
    return Frame(frame.number, frame.format.of_field(parity), planes)


class _Fields:
    """What the finder needs of a window: fields around one."""

    def __init__(self, fields: dict[int, Frame], middle: int) -> None:
        self._fields = fields
        self._middle = middle

    def luma8(self, offset: int = 0) -> Luma8:
        """(H, W) uint8 luma of the field so many frames away."""
        return self._fields[self._middle + offset].luma8()

    def rgb(self, offset: int = 0) -> Rgb:
        """(H, W, 3) float32 R'G'B' of it."""
        return to_rgb(self._fields[self._middle + offset])

    def at(self, offset: int) -> _Fields:
        """The same around another one."""
        return _Fields(self._fields, self._middle + offset)

    def keep(self, name: str, make: Callable[[], Made], size_of: Callable[[Made], int]) -> Made:
        """Made anew: nothing is asked for twice."""
        return make()
