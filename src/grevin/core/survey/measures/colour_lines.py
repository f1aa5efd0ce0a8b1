"""How far lines of colour lie apart: on one frame of sixteen, for a time base of its own stays the same."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.colour_lines import lines_of
from grevin.core.measure.colour_shift import likeness, shift_of
from grevin.core.picture.fields import PARITIES
from grevin.core.picture.levels import levels_of
from grevin.core.survey.measures.base import Depth, Series, Sight

EVERY = 16  # frames


class ColourLines:
    """Samples of colour between the lines that lie farthest apart, where it changes from line to line; else 0."""

    series: ClassVar[tuple[Series, ...]] = (Series("colour_lines", "samples", "of colour that its lines lie apart"),)
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        frame = sight.here.frame
        if frame.number % EVERY or frame.format.model != "yuv":
            return (float("nan"),)
        step = len(PARITIES) if frame.format.has_fields else 1  # two fields are two moments
        luma, *colours = (np.ascontiguousarray(plane[::step]) for plane in levels_of(frame)[:3])
        lines = lines_of(lambda: [(luma, colours)], shift_of([likeness(luma, colours)], float(step)))
        return (float(np.ptp(lines)) if len(lines) else 0.0,)
