"""What steps see of a frame: itself among its neighbours of the same shot."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from grevin.core.cache import ByteCache
from grevin.core.motion.flow import Flow, Luma8, MotionQuality, estimate_flow
from grevin.core.picture.colour import Rgb, to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.source import FrameSource
from grevin.core.steps.seen import Arrays, Made
from grevin.core.steps.strokes import PlacedStroke
from grevin.core.treatment.shots import Shots


class CachedSource:
    """A FrameSource whose frames are kept in the shared cache."""

    def __init__(self, source: FrameSource, cache: ByteCache) -> None:
        self._source = source
        self._cache = cache

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        return self._source.format

    @property
    def identity(self) -> str:
        """Identity of the source."""
        return self._source.identity

    def __len__(self) -> int:
        return len(self._source)

    def key(self, number: int) -> str:
        """Cache key of a frame."""
        return f"frame/{self.identity}/{number}"

    def near(self, number: int, reach: int) -> str:
        """Key of a frame and all within reach of it: nothing changes them here."""
        return self.key(number)

    def run_key(self, first: int, stop: int) -> str:
        """Key of a run of frames."""
        return f"run/{self.identity}/{first}/{stop}"

    def name(self, number: int) -> str:
        """Key of what the frame is: two frames of one name are the same picture."""
        return self.key(number)

    def frame(self, number: int) -> Frame:
        """Frame `number`, from the cache where it is there."""
        return self._cache.get(self.key(number), lambda: self._source.frame(number), lambda f: f.nbytes)


class NamedSource(FrameSource, Protocol):
    """A source whose frames have names."""

    def key(self, number: int) -> str:
        """Key of all that a frame depends on."""
        ...

    def near(self, number: int, reach: int) -> str:
        """Key of all that a frame and those within reach of it depend on."""
        ...

    def run_key(self, first: int, stop: int) -> str:
        """Key of all that a run of frames depends on."""
        ...

    def name(self, number: int) -> str:
        """Key of what a frame is: that of an earlier source where no step touched it."""
        ...


class Behind(Protocol):
    """What a window knows of the path besides the frames it lies on."""

    def study_of(self, number: int) -> Arrays:
        """What the step learned of the shot of a frame."""
        ...

    def moment(self, number: int) -> int:
        """Number of a frame among the pictures of which the step learned the shot."""
        ...

    def strokes_on(self, number: int) -> tuple[PlacedStroke, ...]:
        """What a person drew over damage of a frame."""
        ...

    def around(self, step: str, number: int) -> tuple[Frame, Frame] | None:
        """A frame before and behind the last earlier step of an id."""
        ...


class ChainWindow:
    """A frame of a source with its neighbours of the same shot (`steps.base.Window`)."""

    def __init__(
        self, source: NamedSource, number: int, shots: Shots, cache: ByteCache, reach: int = 0,
        path: Behind | None = None,
    ) -> None:  # fmt: skip
        """Lay the window.

        Args:
            source: the frames.
            number: the frame in the middle.
            shots: where they are cut.
            cache: for what is derived from them.
            reach: of the step: what it keeps of a frame depends on nothing farther away.
            path: what the step learned, and earlier steps; None where none of it is wanted.
        """
        self._source = source
        self._number = number
        self._shots = shots
        self._cache = cache
        self._reach = reach
        self._path = path

    @property
    def number(self) -> int:
        """Number of the frame in the middle."""
        return self._number

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        return self._source.format

    def has(self, offset: int) -> bool:
        """Whether that frame exists in the same shot."""
        return self._shots.same_shot(self._number, self._number + offset)

    def frame(self, offset: int = 0) -> Frame:
        """The frame that many places away."""
        return self._source.frame(self._number + offset)

    def luma8(self, offset: int = 0) -> Luma8:
        """Its 8-bit luma."""
        key = f"luma/{self._source.name(self._number + offset)}"
        return self._cache.get(key, lambda: self.frame(offset).luma8(), lambda luma: luma.nbytes)

    def rgb(self, offset: int = 0) -> Rgb:
        """Its R'G'B'; not to be written to."""
        key = f"rgb/{self._source.name(self._number + offset)}"
        return self._cache.get(key, lambda: to_rgb(self.frame(offset)), lambda rgb: rgb.nbytes)

    def motion(self, offset: int, quality: MotionQuality = "fine") -> Flow:
        """Flow from the middle frame to that one, made once whatever the other settings are."""
        key = f"motion/{quality}/{self._source.name(self._number)}/{self._source.name(self._number + offset)}"

        def make() -> Flow:
            return estimate_flow(self.luma8(), self.luma8(offset), quality)

        return self._cache.get(key, make, lambda flow: flow.nbytes)

    def at(self, offset: int) -> ChainWindow:
        """The window with that frame in the middle."""
        return ChainWindow(self._source, self._number + offset, self._shots, self._cache, self._reach, self._path)

    def keep(self, name: str, make: Callable[[], Made], size_of: Callable[[Made], int]) -> Made:
        """Something dear about the middle frame, from the cache where it is there."""
        cuts = self._shots.key(self._number, self._reach)
        near = self._source.near(self._number, self._reach)
        return self._cache.get(f"kept/{name}/{near}/{cuts}/{self._number}", make, size_of)

    def study(self) -> Arrays:
        """What the step learned of the shot that the middle frame lies in."""
        return {} if self._path is None else self._path.study_of(self._number)

    @property
    def moment(self) -> int:
        """Number of the middle frame among the pictures of which the step learned the shot."""
        return self._number if self._path is None else self._path.moment(self._number)

    def strokes(self) -> tuple[PlacedStroke, ...]:
        """What a person drew over damage of the middle frame."""
        return () if self._path is None else self._path.strokes_on(self._number)

    def around(self, step: str) -> tuple[Frame, Frame] | None:
        """The middle frame before and behind the last earlier step of an id; None where none acts on the path."""
        return None if self._path is None else self._path.around(step, self._number)
