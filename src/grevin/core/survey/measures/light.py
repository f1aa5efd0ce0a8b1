"""How the light changes from frame to frame, whatever moves."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.survey.measures.base import Depth, Series, Sight

BLACK, WHITE = 4, 250  # 8-bit levels: what is clipped tells nothing about the light
OFFSET = 16.0  # keeps the ratio of dark places steady (methods, local flicker)
SAME_PLACE = 25  # 8-bit levels: a larger difference is another thing, not another light


class Light:
    """Median ratio of places that the motion joins: motion-safe, so a passing tram is no flicker."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("light_change", "%", "change of the light against the frame before"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        moved = sight.moved_before
        if moved is None:
            return (float("nan"),)
        here, there = sight.here.half[::2, ::2].astype(np.float32), moved[::2, ::2].astype(np.float32)
        shift = float(np.median(here - there))
        good = (here > BLACK) & (here < WHITE) & (there > BLACK) & (there < WHITE)
        good &= np.abs(here - there - shift) < SAME_PLACE
        if np.count_nonzero(good) < 100:
            return (float("nan"),)
        ratio = np.median(np.log((here[good] + OFFSET) / (there[good] + OFFSET)))
        return (100.0 * float(np.expm1(ratio)),)
