"""The block grid that old codecs leave."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.survey.measures.base import Depth, Series, Sight

GRID_PX = 8  # of JPEG, MPEG-2, DV


class Blocks:
    """Step over the borders of 8x8 blocks against the step beside them, over the offset at which it is largest."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("block_grid", "ratio", "step over block borders against the step elsewhere; 1 for no grid"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        luma = sight.here.luma[::2].astype(np.int16)
        if luma.shape[1] < 4 * GRID_PX:
            return (1.0,)
        bend = np.abs(
            2 * (luma[:, 2:-1] - luma[:, 1:-2]) - (luma[:, 1:-2] - luma[:, :-3]) - (luma[:, 3:] - luma[:, 2:-1])
        )
        columns = bend.mean(axis=0)
        count = len(columns) // GRID_PX * GRID_PX
        by_offset = columns[:count].reshape(-1, GRID_PX).mean(axis=0)
        best = int(by_offset.argmax())
        others = np.delete(by_offset, best)
        return (float(by_offset[best] / max(float(np.median(others)), 1e-3)),)
