"""What a measure of the survey sees and gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar, Generic, Literal, Protocol, TypeVar, overload

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.line_jitter import QUICK, Lines, displacements
from grevin.core.motion.flow import Flow, Luma8, estimate_flow, positions, sample
from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.picture.halving import halved

Rgb8 = npt.NDArray[np.uint8]
Depth = Literal["first", "quick", "full"]
Made = TypeVar("Made")

BANDS = 12  # of rows, of a picture's height

# One mark of damage on one frame; areas in pixels of the whole picture, contrast in 8-bit levels
SPOT = np.dtype([
    ("kind", "S24"), ("frame", "i4"), ("x", "i4"), ("y", "i4"), ("width", "i4"), ("height", "i4"), ("pixels", "i4"),
    ("contrast", "f4"), ("confidence", "f4"),
])  # fmt: skip
Spots = npt.NDArray[Any]


class Once(Generic[Made]):
    """An attribute made when it is first asked for.

    Unlike `functools.cached_property` of Python 3.11 it takes no lock that all objects share, so that threads on
    different frames do not wait for each other.
    """

    def __init__(self, make: Callable[[Any], Made]) -> None:
        self._make = make
        self._name = make.__name__
        self.__doc__ = make.__doc__

    @overload
    def __get__(self, owner: None, kind: type) -> Once[Made]: ...
    @overload
    def __get__(self, owner: object, kind: type) -> Made: ...
    def __get__(self, owner: object | None, kind: type) -> Once[Made] | Made:
        if owner is None:
            return self
        made = self._make(owner)
        owner.__dict__[self._name] = made
        return made


class Seen:
    """One frame with what several measures need of it."""

    def __init__(self, frame: Frame) -> None:
        self.frame = frame

    @Once
    def luma(self) -> Luma8:
        """(H, W) uint8."""
        return self.frame.luma8()

    @Once
    def half(self) -> Luma8:
        """(H/2, W/2) uint8, every pixel the mean of four."""
        height, width = self.luma.shape
        size = (max(1, width // 2), max(1, height // 2))
        return np.asarray(cv2.resize(self.luma, size, interpolation=cv2.INTER_AREA), np.uint8)

    @Once
    def row_bands(self) -> npt.NDArray[np.float32]:
        """(BANDS, W) float32, the mean of every band of rows: for what stands upright."""
        size = (self.luma.shape[1], BANDS)
        return np.asarray(cv2.resize(self.luma, size, interpolation=cv2.INTER_AREA), np.float32)

    @Once
    def line_places(self) -> Lines:
        """(H,) px by which lines lie displaced, looked at quickly; of the first field where there are fields."""
        luma = self.luma[::2] if self.frame.format.has_fields else self.luma
        return displacements(np.asarray(luma, np.float32), QUICK)

    @Once
    def half_rgb(self) -> Rgb8:
        """(H/2, W/2, 3) uint8 R'G'B', nominal range over 0 to 255."""
        return np.asarray(np.clip(to_rgb(halved(self.frame)) * 255.0 + 0.5, 0, 255), np.uint8)


class Sight:
    """One frame between its neighbours of the same shot, with what several measures need of them together.

    Attributes:
        here: the frame.
        before, after: its neighbours; None at the ends of a shot and beside frames that cannot be read.
    """

    def __init__(self, here: Seen, before: Seen | None = None, after: Seen | None = None) -> None:
        self.here = here
        self.before = before
        self.after = after

    @Once
    def motion(self) -> Flow | None:
        """(H/2, W/2, 2) float32 flow of the half picture to the one before; None without one."""
        return None if self.before is None else estimate_flow(self.here.half, self.before.half, "quick")

    @Once
    def motion_on(self) -> Flow | None:
        """(H/2, W/2, 2) float32 flow of the half picture to the one after; None without one."""
        return None if self.after is None else estimate_flow(self.here.half, self.after.half, "quick")

    @Once
    def moved_before(self) -> Luma8 | None:
        """(H/2, W/2) uint8, the half picture before, moved onto this one."""
        if self.before is None or self.motion is None:
            return None
        return np.asarray(sample(self.before.half, *positions(self.motion)), np.uint8)


@dataclass(frozen=True)
class Series:
    """One curve of a measure.

    Attributes:
        name: in files, such as "level_luma_p01".
        unit: of its values.
        words: what it is, for people.
    """

    name: str
    unit: str
    words: str


class Measure(Protocol):
    """A measure of single frames. Adding one to the registry is all there is to do.

    A measure that finds places besides has `kind`, their kind, and `spots_of(sight)`, which gives the values and
    an array of `SPOT`.

    Attributes:
        series: its curves.
        depth: the shallowest pass that takes it: "first" when a reel is opened, "quick", or "full" only.
    """

    series: ClassVar[tuple[Series, ...]]
    depth: ClassVar[Depth]

    def of(self, sight: Sight) -> tuple[float, ...]:
        """A value for each curve; NaN where it cannot be told."""
        ...
