"""Another frame brought onto the one that is looked at."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from grevin.core.measure.one_light import ALIKE, Lighting, lighting_along
from grevin.core.motion.flow import (
    Flow,
    Luma8,
    moved_places,
    outside,
    places_of,
    positions,
    sample,
    sample_at,
    straightened,
)
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow

HALF = 2  # resolution at which a mask is moved
BENT_PX = 5  # how far around itself dirt bends the motion: about the patches that it is found by


@dataclass(frozen=True, eq=False)
class Neighbour:
    """Another frame brought onto this one along the motion.

    Attributes:
        luma: (H, W) uint8 moved luma.
        flow: (H, W, 2) float32.
        off: (H, W) bool, places whose motion leads off the picture.
        straight: (H, W) bool, places where the motion was continued from around; None for nowhere.
        light: of that frame against this one.
    """

    luma: Luma8
    flow: Flow
    off: Mask
    straight: Mask | None = None
    light: Lighting = ALIKE

    @classmethod
    def along(cls, here: Luma8, there: Luma8, flow: Flow) -> Neighbour:
        """Move `there` onto `here`, and bring it into its light."""
        across, down = positions(flow)
        light = lighting_along(here[..., None], there[..., None], flow)
        moved = cls(there, flow, outside(across, down, there.shape), light=light)
        return replace(moved, luma=sample(moved.lit(there), across, down))

    def lit(self, picture: Luma8) -> Luma8:
        """(H, W) uint8 luma of the neighbour, on its own grid, in the light of this frame."""
        return self.light.on(picture[..., None])[..., 0] if self.light.differs else picture

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
            bent = bent | self._onto_here(other)
        if not bent.any():
            return self
        bent = grow(np.asarray(bent, np.bool_), BENT_PX)
        flow, luma = straightened(self.flow, bent), self.luma.copy()
        places = places_of(bent)
        luma[places] = sample_at(self.lit(filled), *moved_places(flow, places))
        return replace(self, luma=luma, flow=flow, straight=bent)

    def _onto_here(self, there: Mask) -> Mask:
        """(H, W) bool, where a mask of the neighbour lies on this frame, give or take a pixel: at half resolution."""
        height, width = there.shape
        halved = np.ascontiguousarray(self.flow[::HALF, ::HALF]) * np.float32(1 / HALF)
        small = np.ascontiguousarray(grow(there, HALF - 1).view(np.uint8)[::HALF, ::HALF])
        moved = cv2.resize(sample(small, *positions(halved)), (width, height), interpolation=cv2.INTER_NEAREST)
        return np.asarray(moved, np.bool_)

    def straight_under(self, mask: Mask) -> Flow:
        """The motion, bent by no dirt of the mask."""
        bent = grow(mask, BENT_PX)
        return straightened(self.flow, bent if self.straight is None else bent & ~self.straight)

    def completed(self, other: Neighbour, onward: Flow, there: Luma8) -> Neighbour:
        """The neighbour with what leads off its picture taken from the frame beyond the other neighbour.

        Args:
            other: the other neighbour.
            onward: (H, W, 2) float32 flow from it to the frame beyond.
            there: (H, W) uint8 luma of that frame, in the light of this one.
        """
        wanted = self.off & ~other.off
        if not wanted.any():
            return self
        places = places_of(wanted)
        across, down = moved_places(other.flow, places)
        step = sample_at(onward, across, down)
        across, down = across + step[:, 0], down + step[:, 1]
        gone = outside(across, down, there.shape)
        luma, off = self.luma.copy(), self.off.copy()
        luma[places] = np.where(gone, luma[places], sample_at(there, across, down))
        off[places] = gone
        return replace(self, luma=luma, off=off)
