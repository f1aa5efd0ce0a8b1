"""What all simulated damage shares: it lies over any source of frames and knows the truth of every frame.

A kind of damage is a frozen dataclass of settings with `over(source)`. `damaged(source, ...)` lays several over each
other; the truth of a frame then holds one part for each of them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Protocol, runtime_checkable

from grevin.core.cache import ByteCache
from grevin.core.keys import content_key
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.source import FrameSource

KEPT_BYTES = 128 << 20  # damaged frames kept, so that asking for a frame and for its truth damages it once


@dataclass(frozen=True)
class Mark:
    """One piece of damage on one frame: a row of the truth's table.

    Attributes:
        kind: what it is, such as "dust" or "hair".
        area: (x, y, width, height) in pixels.
        pixels: visibly damaged pixels.
        contrast: of its densest place against the picture there, 8-bit levels, positive brighter.
        soft_px: standard deviation of its edge.
        density: 0..1, 1 where nothing of the picture shines through its densest place.
        again: whether the same piece lay on the frame before, at another place.
    """

    kind: str
    area: tuple[int, int, int, int]
    pixels: int
    contrast: float
    soft_px: float = 0.0
    density: float = 1.0
    again: bool = False


@dataclass(frozen=True, eq=False)
class Truth:
    """What one kind of damage did to one frame.

    Attributes:
        kind: id of the step that mends it.
        mask: (H, W) bool, damaged pixels; for dirt and its like those that can be seen.
        marks: the pieces.
        origin: the frame of the clean source that is shown.
    """

    kind: str
    mask: Mask
    marks: tuple[Mark, ...]
    origin: int


@runtime_checkable
class DamagedSource(FrameSource, Protocol):
    """Damaged frames that know what was done to them."""

    def truths(self, number: int) -> tuple[Truth, ...]:
        """What was done to a frame, in the order in which it was done."""
        ...


class Damage(Protocol):
    """A kind of damage with its settings."""

    kind: ClassVar[str]

    def over(self, source: FrameSource) -> DamagedSource:
        """The source, damaged; the same for the same settings."""
        ...


class PictureDamage(Protocol):
    """Damage that is done to one frame at a time."""

    kind: ClassVar[str]

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """The damaged frame and what was done to it; all depends on the frame, its number and the settings."""
        ...


class FrameByFrame:
    """A DamagedSource of damage that is done to one frame at a time."""

    def __init__(self, source: FrameSource, damage: PictureDamage) -> None:
        self._source = source
        self._damage = damage
        self._kept = ByteCache(KEPT_BYTES)

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        return self._source.format

    @property
    def identity(self) -> str:
        """Changes with the source and with every setting."""
        return content_key(self._source.identity, self._damage.kind, repr(self._damage))

    def __len__(self) -> int:
        return len(self._source)

    def frame(self, number: int) -> Frame:
        """Frame `number`, damaged."""
        return self._made(number)[0]

    def truths(self, number: int) -> tuple[Truth, ...]:
        """What was done to it, by what lies below first."""
        below = self._source.truths(number) if isinstance(self._source, DamagedSource) else ()
        return (*below, self._made(number)[1])

    def _made(self, number: int) -> tuple[Frame, Truth]:
        return self._kept.get(
            str(number), lambda: self._damage.add(self._source.frame(number)), lambda made: 2 * made[0].nbytes
        )


def damaged(source: FrameSource, first: Damage, *more: Damage) -> DamagedSource:
    """The source under several kinds of damage, in the order in which they came about."""
    result = first.over(source)
    for damage in more:
        result = damage.over(result)
    return result


def truth_of(source: DamagedSource, number: int, kind: str) -> Truth:
    """What one kind of damage did to a frame.

    Raises:
        KeyError: if there is no damage of that kind.
    """
    for truth in source.truths(number):
        if truth.kind == kind:
            return truth
    raise KeyError(kind)
