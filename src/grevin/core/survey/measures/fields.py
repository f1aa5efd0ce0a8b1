"""How much each field differs from the one of the frame before: for film that was spread over fields."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.repeats import largest_change
from grevin.core.survey.measures.base import Depth, Series, Sight


class FieldChange:
    """The largest block changes of the top and of the bottom field alone."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("change_top", "levels of 255", "mean of the largest block changes of the top field"),
        Series("change_bottom", "levels of 255", "mean of the largest block changes of the bottom field"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        if sight.before is None or sight.here.luma.shape[0] < 2:
            return float("nan"), float("nan")
        last, this = sight.before.luma, sight.here.luma
        fields = ((np.ascontiguousarray(last[parity::2]), np.ascontiguousarray(this[parity::2])) for parity in (0, 1))
        return tuple(largest_change(before, after) for before, after in fields)
