"""The block grid that old codecs leave."""

from __future__ import annotations

from typing import ClassVar

from grevin.core.measure.blocks import grid_of, steps_across
from grevin.core.survey.measures.base import Depth, Series, Sight


class Blocks:
    """How far a grid of blocks stands out along the lines of one frame, whatever its size and place."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("block_clearness", "times", "by which a grid of blocks stands out; chance alone reaches 2"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        return (grid_of(steps_across(sight.here.luma[::2])).clearness,)
