"""Lines and columns that repeat their neighbours."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.repeated_lines import repeats_of, slopes
from grevin.core.survey.measures.base import Depth, Series, Sight

LEAST_PX = 4  # lines that a slope needs


class RepeatedLines:
    """How many lines, and columns, show one sample, all over one frame."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("sample_lines", "lines", "that show one sample; 1 where no line repeats"),
        Series("sample_columns", "columns", "that show one sample; 1 where no column repeats"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.here.luma
        if min(luma.shape) < LEAST_PX:
            return 1.0, 1.0
        found = (repeats_of(slopes(one)) for one in (luma, np.ascontiguousarray(luma.T)))
        return tuple(one.period or 1.0 for one in found)
