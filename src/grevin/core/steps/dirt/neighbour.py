"""Another frame brought onto the one that is looked at."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from grevin.core.motion.flow import Flow, Luma8, outside, positions, sample
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import boxes_around, grow
from grevin.core.steps.dirt.filling import RING_PX, spread_from

BENT_PX = 5  # how far around itself dirt bends the motion: about the patches that it is found by


@dataclass(frozen=True, eq=False)
class Neighbour:
    """Another frame brought onto this one along the motion.

    Attributes:
        luma: (H, W) uint8 moved luma.
        flow: (H, W, 2) float32.
        off: (H, W) bool, places whose motion leads off the picture.
    """

    luma: Luma8
    flow: Flow
    off: Mask

    @classmethod
    def along(cls, here: Luma8, there: Luma8, flow: Flow) -> Neighbour:
        """Move `there` onto `here`."""
        across, down = positions(flow)
        return cls(sample(there, across, down), flow, outside(across, down))

    def cleaned(self, filled: Luma8, own: Mask, other: Mask) -> Neighbour:
        """The neighbour without its dirt, along motion that the dirt of neither frame bends.

        Only what lies round the dirt is made anew.

        Args:
            filled: (H, W) uint8 luma of the neighbour without its dirt.
            own: (H, W) bool dirt of the frame that is looked at.
            other: (H, W) bool dirt of the neighbour, on its own grid.
        """
        bent = own
        if other.any():
            bent = bent | (sample(other.view(np.uint8), *positions(self.flow)) > 0)
        if not bent.any():
            return self
        bent = grow(np.asarray(bent, np.bool_), BENT_PX)
        flow, luma = self.flow.copy(), self.luma.copy()
        for _, rows, columns in boxes_around(bent, RING_PX):
            flow[rows, columns] = spread_from(flow[rows, columns], ~bent[rows, columns])
            across = np.arange(columns.start, columns.stop, dtype=np.float32)[None, :] + flow[rows, columns, 0]
            down = np.arange(rows.start, rows.stop, dtype=np.float32)[:, None] + flow[rows, columns, 1]
            luma[rows, columns] = sample(filled, across, down)
        return Neighbour(luma, flow, self.off)
