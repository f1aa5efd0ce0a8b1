"""How the light changes from frame to frame: for flicker, flashes and fades."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.survey.measures.base import Depth, Series, Sight

BLACK_LIMITED = 16.0  # code value of black in limited range, 8 bit: BT.601-7, table 3
DARK, WHITE = 24, 250  # 8-bit levels above black, code value: what is darker or clipped tells little about the light
SAME_PLACE = 25  # 8-bit levels: a larger difference is another thing, not another light
FEWEST = 100  # points


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
        black = 0.0 if sight.here.frame.format.full_range else BLACK_LIMITED
        here, there = sight.here.half[::2, ::2].astype(np.float32), moved[::2, ::2].astype(np.float32)
        shift = float(np.median(here - there))
        good = (here > black + DARK) & (here < WHITE) & (there > black + DARK) & (there < WHITE)
        good &= np.abs(here - there - shift) < SAME_PLACE
        if np.count_nonzero(good) < FEWEST:
            return (float("nan"),)
        ratio = np.median(np.log((here[good] - black) / (there[good] - black)))
        return (100.0 * float(np.expm1(ratio)),)
