"""How the light changes from the earlier field of a frame to the later one: lamps beat with fields."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.picture.fields import parities_in_time
from grevin.core.survey.measures.base import Depth, Series, Sight
from grevin.core.survey.measures.light import BLACK_LIMITED, DARK, FEWEST, SAME_PLACE, WHITE

EVERY_PX = 4  # of a line that is looked at


class LightOfFields:
    """Median ratio of the lines of the later field to what lies between those of the earlier one.

    What moves makes single places brighter and darker alike, and the median passes over it. Nothing where a frame has
    no fields.
    """

    series: ClassVar[tuple[Series, ...]] = (
        Series("light_fields", "%", "change of the light from the earlier field of a frame to the later one"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        fmt = sight.here.frame.format
        if not fmt.has_fields:
            return (float("nan"),)
        luma = sight.here.luma[:, ::EVERY_PX].astype(np.float32)
        _, later = parities_in_time(fmt)
        there = luma[1 - later :: 2]
        between = 0.5 * (there[:-1] + there[1:])
        here = luma[2 - later :: 2][: len(between)] if later == 0 else luma[1::2][: len(between)]
        black = 0.0 if fmt.full_range else BLACK_LIMITED
        shift = float(np.median(here - between))
        good = (here > black + DARK) & (here < WHITE) & (between > black + DARK) & (between < WHITE)
        good &= np.abs(here - between - shift) < SAME_PLACE
        if np.count_nonzero(good) < FEWEST:
            return (float("nan"),)
        return (100.0 * float(np.expm1(np.median(np.log((here[good] - black) / (between[good] - black))))),)
