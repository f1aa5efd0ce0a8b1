"""What a measure of the survey sees and gives."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar, Protocol

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.cuts import Small, small_picture
from grevin.core.motion.flow import Flow, Luma8, estimate_flow, positions, sample
from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.picture.halving import halved

Rgb8 = npt.NDArray[np.uint8]


class Sight:
    """One frame and the one before it, with what several measures need; everything is made once, when asked for.

    Attributes:
        frame: the picture.
        before: the sight of the frame before; None for the first, beside unreadable ones and over cuts.
    """

    def __init__(self, frame: Frame, before: Sight | None) -> None:
        self.frame = frame
        self.before = before

    @cached_property
    def luma(self) -> Luma8:
        """(H, W) uint8."""
        return self.frame.luma8()

    @cached_property
    def half(self) -> Luma8:
        """(H/2, W/2) uint8, every pixel the mean of four."""
        height, width = self.luma.shape
        size = (max(1, width // 2), max(1, height // 2))
        return np.asarray(cv2.resize(self.luma, size, interpolation=cv2.INTER_AREA), np.uint8)

    @cached_property
    def small(self) -> Small:
        """(96, 128) uint8."""
        return small_picture(self.luma)

    @cached_property
    def half_rgb(self) -> Rgb8:
        """(H/2, W/2, 3) uint8 R'G'B', nominal range over 0 to 255."""
        return np.asarray(np.clip(to_rgb(halved(self.frame)) * 255.0 + 0.5, 0, 255), np.uint8)

    @cached_property
    def motion(self) -> Flow | None:
        """(H/2, W/2, 2) float32 flow of the half picture to the one before; None without one."""
        return None if self.before is None else estimate_flow(self.half, self.before.half, "quick")

    @cached_property
    def moved_before(self) -> Luma8 | None:
        """(H/2, W/2) uint8, the half picture before, moved onto this one."""
        if self.before is None or self.motion is None:
            return None
        return np.asarray(sample(self.before.half, *positions(self.motion)), np.uint8)


@dataclass(frozen=True)
class Series:
    """One curve of a measure.

    Attributes:
        name: in files, such as "level_p01".
        unit: of its values.
        words: what it is, for people.
    """

    name: str
    unit: str
    words: str


class Measure(Protocol):
    """A measure of single frames. Adding one to the registry is all there is to do.

    Attributes:
        series: its curves.
        quick: whether it is cheap enough for the quick pass.
    """

    series: ClassVar[tuple[Series, ...]]
    quick: ClassVar[bool]

    def of(self, sight: Sight) -> tuple[float, ...]:
        """A value for each curve; NaN where it cannot be told."""
        ...
