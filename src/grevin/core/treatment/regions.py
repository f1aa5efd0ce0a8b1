"""Regions: where on the picture a step may act, drawn by the operator."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from grevin.core.picture.colour import paint_inside, to_rgb
from grevin.core.picture.frame import Frame, Mask, merge_touched
from grevin.core.steps.base import Evidence

FEATHER_PX = 6.0  # over which a region that was made anew fades into its frame


class Region(BaseModel):
    """A part of the picture on a run of frames.

    Attributes:
        use: "protect" (the step leaves it alone) or "only" (the step leaves all else alone).
        shape: rectangle or ellipse within the box.
        x, y, width, height: the box in pixels; it may reach over the picture's edge.
        first, last: frames of the reel, both included; None for from the beginning, to the end.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    use: Literal["protect", "only"]
    shape: Literal["rectangle", "ellipse"] = "rectangle"
    x: int
    y: int
    width: int = Field(ge=1)
    height: int = Field(ge=1)
    first: int | None = Field(None, ge=0)
    last: int | None = Field(None, ge=0)

    def holds(self, frame: int) -> bool:
        """Whether it applies to a frame."""
        return (self.first is None or frame >= self.first) and (self.last is None or frame <= self.last)

    def mask(self, shape: tuple[int, int]) -> Mask:
        """(H, W) bool."""
        drawn = np.zeros(shape, np.uint8)
        if self.shape == "ellipse":
            middle = (self.x + (self.width - 1) / 2, self.y + (self.height - 1) / 2)
            cv2.ellipse(drawn, (middle, (float(self.width), float(self.height)), 0.0), 1, cv2.FILLED)
        else:
            rows = slice(max(0, self.y), max(0, self.y + self.height))
            drawn[rows, max(0, self.x) : max(0, self.x + self.width)] = 1
        return np.asarray(drawn, np.bool_)

    @property
    def words(self) -> str:
        """What it says, for people."""
        use = "Leave alone" if self.use == "protect" else "Only inside"
        if self.first is None and self.last is None:
            run = "every frame"
        elif self.first == self.last:
            run = f"frame {self.first}"
        else:
            run = f"frames {self.first or 0} to {'the end' if self.last is None else self.last}"
        return f"{use}: {self.width} x {self.height} px at {self.x}, {self.y}, {run}"


def allowed(regions: tuple[Region, ...], frame: int, shape: tuple[int, int]) -> Mask | None:
    """(H, W) bool, where the regions let a step act on that frame; None for everywhere.

    On frames without a region of the kind "only" all that is not protected is allowed.
    """
    acting = [region for region in regions if region.holds(frame)]
    if not acting:
        return None
    only = [region.mask(shape) for region in acting if region.use == "only"]
    result = np.logical_or.reduce(only) if only else np.ones(shape, np.bool_)
    for region in acting:
        if region.use == "protect":
            result &= ~region.mask(shape)
    return np.asarray(result, np.bool_)


def within(found: Evidence, where: Mask | None) -> Evidence:
    """The part of the evidence that lies where a step may act; blobs of which nothing is left go."""
    if where is None:
        return found
    mask = found.mask & where
    weight = None if found.weight is None else np.where(mask, found.weight, np.float32(0))
    blobs, passed = (
        tuple(b for b in some if np.any(where[b.area[1] : b.area[1] + b.area[3], b.area[0] : b.area[0] + b.area[2]]))
        for some in (found.blobs, found.passed)
    )
    return replace(found, mask=mask, weight=weight, blobs=blobs, passed=passed)


def inside_only(kept: Frame, made: Frame, where: Mask) -> Frame:
    """A made frame inside a mask with a soft edge, the source's own samples outside it.

    Args:
        kept: the frame as it was.
        made: the same frame made anew.
        where: (H, W) bool, in whole chroma blocks.
    """
    depth = cv2.distanceTransform(where.view(np.uint8), cv2.DIST_L2, 3)
    weight = np.asarray(np.clip(depth / FEATHER_PX, 0, 1), np.float32)
    painted = paint_inside(kept, to_rgb(made), where, weight)
    return replace(painted, touched=merge_touched(kept.touched, where))
