"""How much a frame differs from the one before: for repeats, freezes and held noise."""

from __future__ import annotations

from typing import ClassVar

from grevin.core.measure.repeats import change_between
from grevin.core.survey.measures.base import Depth, Series, Sight


class ChangeMeasure:
    """The figures that repeats are judged by (`measure.repeats`)."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("change_largest", "levels of 255", "mean of the largest block changes; 0 for an equal frame"),
        Series("change_displaced", "0..1", "share of the change that one displacement of the whole picture explains"),
        Series("noise_correlation", "-1..1", "how much of the noise stays where the picture moves"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        if sight.before is None:
            return (float("nan"),) * len(self.series)
        change = change_between(sight.before.luma, sight.here.luma, sight.motion)
        correlation = change.noise_correlation
        return change.largest, change.displaced, float("nan") if correlation is None else correlation
