"""Another frame brought onto the one that is looked at."""

from __future__ import annotations

from dataclasses import dataclass

from grevin.core.motion.flow import Flow, Luma8, outside, positions, sample
from grevin.core.picture.frame import Mask


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
