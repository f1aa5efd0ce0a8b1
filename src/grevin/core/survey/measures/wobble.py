"""Lines that sway together: looked at on one frame of four, for a time base wobbles all along."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.wobble import common, strips_of
from grevin.core.survey.measures.base import Depth, Series, Sight

EVERY = 4  # frames
LEAST_KNOWN = 0.25  # share of the strips that have to tell; of steady open clips fewer than that go wrong first
HALF = 2.0  # px of the picture a pixel of what is looked at
SECOND = 6.0**0.5  # times a bend that is new on every picture: what it departs from those before and behind, together


class Wobble:
    """By how much the lines of one frame lie aside together, against the frames before and behind it."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("wobble", "px", "standard deviation of bends over many lines; steady pictures show up to .07"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        here, nothing = sight.here, (float("nan"),)
        if here.frame.number % EVERY:
            return nothing
        both = []
        for side, flow in ((sight.before, sight.motion), (sight.after, sight.motion_on)):
            if side is None or flow is None or np.array_equal(side.luma, here.luma):  # a repeat goes nowhere
                return nothing
            strips = strips_of(here.half, side.half, flow)
            if strips is None:
                return nothing
            both.append(strips)
        before, after = both
        # What moves steadily goes on to the one side as it came from the other: together nothing is left of it
        aside, known = common(before.right + after.right, before.sure & after.sure)
        if known.mean() < LEAST_KNOWN:
            return nothing
        return (HALF / SECOND * float(aside[known].std()),)
