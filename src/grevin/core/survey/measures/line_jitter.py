"""Lines that tremble sideways."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.line_jitter import QUICK, trembling
from grevin.core.survey.measures.base import Depth, Series, Sight


class LineJitter:
    """By how much the lines of one frame lie displaced, each by itself; of its first field where it has fields."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("line_jitter", "px", "standard deviation of single lines, looked at quickly; steady pictures show .06"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.here.luma
        fields = sight.here.frame.format.has_fields
        return (trembling(np.asarray(luma[::2] if fields else luma, np.float32), QUICK),)
