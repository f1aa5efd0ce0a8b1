"""Strokes: what a person draws over damage, and from where each is filled."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from grevin.core.picture.frame import Mask
from grevin.core.steps.evidence import Blob

Way = Literal["both", "before", "after", "frame", "plate", "place", "around", "blur"]
WAY_WORDS: dict[Way, str] = {
    "both": "frames before and after", "before": "the frame before", "after": "the frame after",
    "frame": "a chosen frame", "plate": "one frame, as a patch", "place": "another place",
    "around": "built from around", "blur": "blurred",
}  # fmt: skip
ALONG_MOTION: frozenset[Way] = frozenset({"both", "before", "after"})
NAMES_A_FRAME: frozenset[Way] = frozenset({"frame", "plate"})
MOST_AWAY = 8  # frames: farther ones are named
FAR_PX = 1e5  # no picture reaches so far


class StrokeFill(BaseModel):
    """From where a stroke is filled.

    Attributes:
        way: from which frames or places.
        away: frames to the one before or after.
        frame: of the reel, that is chosen.
        right, down: px from the stroke to the other place, and
        turn_degrees, scale: how that one is turned (clockwise) and sized to fit.
        blur_px: standard deviation of a blur.
        strength: 0..1, how much of it is taken.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    way: Way = "both"
    away: int = Field(1, ge=1, le=MOST_AWAY)
    frame: int = Field(0, ge=0)
    right: float = Field(0.0, ge=-FAR_PX, le=FAR_PX)
    down: float = Field(0.0, ge=-FAR_PX, le=FAR_PX)
    turn_degrees: float = Field(0.0, ge=-180, le=180)
    scale: float = Field(1.0, ge=0.1, le=10)
    blur_px: float = Field(16.0, ge=0.3, le=200)  # common practice for a soft disc on 1080 lines, no source
    strength: float = Field(1.0, ge=0, le=1)

    @property
    def words(self) -> str:
        """For people."""
        if self.way in NAMES_A_FRAME:
            return f"{WAY_WORDS[self.way]} ({self.frame})"
        far = f", {self.away} away" if self.way in ALONG_MOTION and self.away > 1 else ""
        return f"{WAY_WORDS[self.way]}{far}"


@dataclass(frozen=True, eq=False)
class PlacedStroke:
    """A stroke where it lies on one frame.

    Attributes:
        number: as people count them, from 1.
        fill: from where it is filled.
        x, y: left and top of its box, which lies inside the picture.
        weight: (h, w) float32 0..1, how much of it is taken.
        offset: frames to the one that is named; None where none is, or where there is no such frame any more.
        there: (2, 3) where in the other frame or place a pixel of this one lies, (x, y) of pixel middles.
    """

    number: int
    fill: StrokeFill
    x: int
    y: int
    weight: npt.NDArray[np.float32]
    offset: int | None
    there: npt.NDArray[np.float64]

    @property
    def inside(self) -> Mask:
        """(h, w) bool."""
        return np.asarray(self.weight > 0)

    @property
    def blob(self) -> Blob:
        """As a piece of evidence; it has to lie in the picture."""
        inside = self.inside
        rows, columns = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
        width, height = int(columns[-1] - columns[0]) + 1, int(rows[-1] - rows[0]) + 1
        area = self.x + int(columns[0]), self.y + int(rows[0]), width, height
        return Blob(area, int(inside.sum()), 0.0, 1.0, by_hand=True)

    @property
    def box(self) -> tuple[slice, slice]:
        """Its rows and columns."""
        height, width = self.weight.shape
        return slice(self.y, self.y + height), slice(self.x, self.x + width)
