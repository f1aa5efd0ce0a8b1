"""How far colour ran out along the lines: on one frame of eight, for it stays the same throughout a recording."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.colour_smear import TEN_TO_NINETY, Smear, sharpest, widths_of
from grevin.core.picture.fields import PARITIES
from grevin.core.picture.levels import levels_of
from grevin.core.survey.measures.base import Depth, Series, Sight

EVERY = 8  # frames


class ColourSmear:
    """Pixels from a tenth to nine tenths of the sharpest upright edges of colour, where those are smeared; else 0."""

    series: ClassVar[tuple[Series, ...]] = (Series("colour_smear", "px", "over which edges of colour ran out"),)
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        frame = sight.here.frame
        if frame.number % EVERY or frame.format.model != "yuv":
            return (float("nan"),)
        colours, across, down = levels_of(frame)[1:3], *frame.format.chroma_ratio
        step = len(PARITIES) if frame.format.has_fields else 1  # two fields are two moments
        colours = [np.ascontiguousarray(plane[::step]) for plane in colours]
        upright = sharpest([widths_of(colours)])
        level = sharpest([widths_of([np.ascontiguousarray(plane.T) for plane in colours])])
        if np.isnan(upright):
            return (float("nan"),)
        return (TEN_TO_NINETY * across * Smear(upright, level).along(across, down * step),)
