"""Evidence: why and where a step acts on one frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area, Geometry


@dataclass(frozen=True)
class Blob:
    """One connected piece of evidence.

    Attributes:
        area: (x, y, width, height) in pixels.
        pixels: number of pixels that deviate (before growing).
        contrast: mean deviation from the neighbours, 8-bit levels; positive brighter, negative darker.
        confidence: 0..1.
        doubtful: whether the step was nearly of the other opinion.
        by_hand: whether a person's word put it there.
        source: from which of the step's sources a person wants it mended (`steps.base.Choosing`); "" for no word.
    """

    area: Area
    pixels: int
    contrast: float
    confidence: float
    doubtful: bool = False
    by_hand: bool = False
    source: str = ""

    @property
    def words(self) -> str:
        """Size, contrast and confidence for people."""
        _, _, width, height = self.area
        if self.by_hand and not self.contrast:
            return f"{width} x {height} px ({self.pixels} in all), by hand"
        than = "brighter" if self.contrast > 0 else "darker"
        return (
            f"{width} x {height} px ({self.pixels} in all), {abs(self.contrast):.0f} levels {than}, "
            f"confidence {self.confidence:.2f}"
        )


@dataclass(frozen=True, eq=False)
class Evidence:
    """Why and where a step acts on one frame: exactly what it may change.

    Attributes:
        mask: (H, W) bool.
        weight: (H, W) float32 0..1 share of the mended picture inside the mask; None for 1.
        blobs: what the mask is made of.
        passed: what was nearly taken.
        left: what would have been taken but for a person's word.
        doubt: a sentence where the step left the whole frame alone, because it does not look like its kind of damage.
        words: what else is to be said of the frame.
    """

    mask: Mask
    weight: npt.NDArray[np.float32] | None = None
    blobs: tuple[Blob, ...] = ()
    doubt: str = ""
    passed: tuple[Blob, ...] = ()
    left: tuple[Blob, ...] = ()
    words: str = ""

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return (
            self.mask.nbytes
            + (self.weight.nbytes if self.weight is not None else 0)
            + 200 * len(self.blobs + self.passed)
        )

    def on(self, geometry: Geometry, shape: tuple[int, int]) -> Evidence:
        """The same in a later picture, (H, W)."""
        return self._moved(geometry.mask_on(self.mask, shape), geometry.area_on)

    def back(self, geometry: Geometry, shape: tuple[int, int]) -> Evidence:
        """The same in an earlier picture, (H, W)."""
        return self._moved(geometry.mask_back(self.mask, shape), geometry.area_back)

    def _moved(self, mask: Mask, place: Callable[[Area], Area]) -> Evidence:
        every = (tuple(replace(b, area=place(b.area)) for b in some) for some in (self.blobs, self.passed, self.left))
        blobs, passed, left = every
        return Evidence(mask, None, blobs, self.doubt, passed, left, self.words)

    @classmethod
    def nothing(cls, shape: tuple[int, ...], doubt: str = "") -> Evidence:
        """Evidence of an undamaged frame, or of one that is left alone."""
        return cls(np.zeros(shape, np.bool_), doubt=doubt)
