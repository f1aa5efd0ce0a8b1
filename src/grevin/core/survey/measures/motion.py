"""How fast things move."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.survey.measures.base import Depth, Series, Sight


class Motion:
    """Median and 95th percentile of the motion against the frame before."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("motion_median", "px/frame", "motion of half the picture"),
        Series("motion_p95", "px/frame", "motion below which 95 % of the picture moves"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        flow = sight.motion
        if flow is None:
            return float("nan"), float("nan")
        length = 2.0 * np.hypot(flow[::4, ::4, 0], flow[::4, ::4, 1])
        median, most = np.percentile(length, (50, 95))
        return float(median), float(most)
