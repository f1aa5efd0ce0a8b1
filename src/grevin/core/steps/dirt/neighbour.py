"""Another frame brought onto the one that is looked at."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from grevin.core.motion.flow import Flow, Luma8, outside, positions, sample, sample_at, straightened
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow

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
    def along(cls, there: Luma8, flow: Flow) -> Neighbour:
        """Move `there` onto this frame."""
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
        flow, luma = straightened(self.flow, bent), self.luma.copy()
        luma[bent] = sample_at(filled, *_places(flow, bent))
        return Neighbour(luma, flow, self.off)

    def completed(self, other: Neighbour, onward: Flow, there: Luma8) -> Neighbour:
        """The neighbour with what leads off its picture taken from the frame beyond the other neighbour.

        Args:
            other: the other neighbour.
            onward: (H, W, 2) float32 flow from it to the frame beyond.
            there: (H, W) uint8 luma of that frame.
        """
        wanted = self.off & ~other.off
        if not wanted.any():
            return self
        across, down = _places(other.flow, wanted)
        step = sample_at(onward, across, down)
        across, down = across + step[:, 0], down + step[:, 1]
        height, width = self.off.shape
        inside = (across >= 0) & (down >= 0) & (across <= width - 1) & (down <= height - 1)
        luma, off = self.luma.copy(), self.off.copy()
        luma[wanted] = np.where(inside, sample_at(there, across, down), luma[wanted])
        off[wanted] = ~inside
        return replace(self, luma=luma, off=off)


def _places(flow: Flow, where: Mask) -> tuple[Flow, Flow]:
    """Positions that the flow leads to from N places, each (N,) float32."""
    rows, columns = np.nonzero(where)
    moved = flow[where]
    return columns.astype(np.float32) + moved[:, 0], rows.astype(np.float32) + moved[:, 1]
