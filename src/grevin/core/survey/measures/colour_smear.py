"""How far colour ran out along the lines: on one frame of eight, for it stays the same throughout a recording."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.measure.colour_smear import TEN_TO_NINETY, smear_of
from grevin.core.picture.fields import PARITIES
from grevin.core.picture.levels import levels_of
from grevin.core.survey.measures.base import Depth, Series, Sight

EVERY = 8  # frames
FEWEST = 50  # edges of one frame: five of them are sharper than the tenth percentile


class ColourSmear:
    """Pixels from a tenth to nine tenths of an edge that the low-pass of colour alone makes, where it shows; else 0."""

    series: ClassVar[tuple[Series, ...]] = (Series("colour_smear", "px", "over which edges of colour ran out"),)
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        frame = sight.here.frame
        if frame.number % EVERY or frame.format.model != "yuv":
            return (float("nan"),)
        across, down = frame.format.chroma_ratio
        step = len(PARITIES) if frame.format.has_fields else 1  # two fields are two moments
        luma, *colours = (np.ascontiguousarray(plane[::step]) for plane in levels_of(frame)[:3])
        found = smear_of([(luma, colours)], FEWEST)
        if np.isnan(found.colour.upright):
            return (float("nan"),)
        return (TEN_TO_NINETY * across * found.along(across, down * step),)
