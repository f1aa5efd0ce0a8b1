"""Combing: lines of two moments in one frame."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.survey.measures.base import Depth, Series, Sight

# A pixel is combed where it is above or below both lines beside it by this much while the lines two away agree with it
# (common practice, no source).
COMB_LEVELS, AGREE_LEVELS = 10, 6


class Combing:
    """Share of the picture that is combed."""

    series: ClassVar[tuple[Series, ...]] = (Series("combing", "% of picture", "combed share of the picture"),)
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.here.luma.astype(np.int16)
        if luma.shape[0] < 8:
            return (0.0,)
        middle, up, down = luma[2:-2], luma[1:-3], luma[3:-1]
        over = (middle - up > COMB_LEVELS) & (middle - down > COMB_LEVELS)
        under = (up - middle > COMB_LEVELS) & (down - middle > COMB_LEVELS)
        agree = (np.abs(middle - luma[:-4]) < AGREE_LEVELS) & (np.abs(middle - luma[4:]) < AGREE_LEVELS)
        return (100.0 * float(np.mean((over | under) & agree)),)
