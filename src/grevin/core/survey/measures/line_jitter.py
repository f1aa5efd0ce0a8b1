"""Lines that tremble sideways: looked at on one frame of four, for a time base trembles all along."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.line_jitter import trembling
from grevin.core.survey.measures.base import Depth, Series, Sight

EVERY = 4  # frames; two are looked at each time, so that it takes half of what every frame would


class LineJitter:
    """By how much the lines of one frame lie displaced, each by itself; of its first field where it has fields."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("line_jitter", "px", "standard deviation of single lines, looked at quickly; steady pictures show .06"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        if sight.here.frame.number % EVERY:
            return (float("nan"),)
        others = (one for one in (sight.before, sight.after) if one is not None)
        beside = next((one for one in others if not np.array_equal(one.luma, sight.here.luma)), None)  # no repeat
        return (trembling(sight.here.line_places, None if beside is None else beside.line_places),)
