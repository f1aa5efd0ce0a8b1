"""Lines that tremble sideways."""

from __future__ import annotations

from typing import ClassVar

from grevin.core.measure.line_jitter import trembling
from grevin.core.survey.measures.base import Depth, Series, Sight


class LineJitter:
    """By how much the lines of one frame lie displaced, each by itself; of its first field where it has fields."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("line_jitter", "px", "standard deviation of single lines, looked at quickly; steady pictures show .06"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        beside = sight.before or sight.after
        return (trembling(sight.here.line_places, None if beside is None else beside.line_places),)
