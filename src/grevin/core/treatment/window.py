"""What steps see: a frame among its neighbours, and the whole reel for steps that change time."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Callable
from typing import Protocol

import numpy as np

from grevin.core.cache import ByteCache
from grevin.core.keys import content_key
from grevin.core.motion.flow import Flow, Luma8, MotionQuality, estimate_flow
from grevin.core.picture.colour import Rgb, to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.source import FrameSource
from grevin.core.steps.base import Arrays, Made
from grevin.core.treatment.shots import Shots

STUDY_VERSION = 2  # raised when what is learned of a reel changes, so that what an older Grevin learned is left
KEPT_REACH = 8  # frames; what steps keep of a frame depends on no cut farther away


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

    def name(self, number: int) -> str:
        """Key of what a frame is: that of an earlier source where no step touched it."""
        ...


class ChainWindow:
    """A frame of a source with its neighbours of the same shot (`steps.base.Window`)."""

    def __init__(self, source: NamedSource, number: int, shots: Shots, cache: ByteCache) -> None:
        self._source = source
        self._number = number
        self._shots = shots
        self._cache = cache

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
        return ChainWindow(self._source, self._number + offset, self._shots, self._cache)

    def keep(self, name: str, make: Callable[[], Made], size_of: Callable[[Made], int]) -> Made:
        """Something dear about the middle frame, from the cache where it is there."""
        cuts = self._shots.key(self._number, KEPT_REACH)
        near = self._source.near(self._number, KEPT_REACH)
        return self._cache.get(f"kept/{name}/{near}/{cuts}/{self._number}", make, size_of)


class Studies(Protocol):
    """Where what steps learned of a reel is kept."""

    def study(self, key: str) -> bytes | None:
        """What was kept under a key."""
        ...

    def keep_study(self, key: str, data: bytes) -> None:
        """Keep it."""
        ...


def _packed(arrays: Arrays) -> bytes:
    stream = io.BytesIO()
    np.savez_compressed(stream, allow_pickle=False, **arrays)
    return stream.getvalue()


def _unpacked(data: bytes) -> Arrays | None:
    """The arrays; None where the job is damaged there, so that they are learned anew."""
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as held:
            return {name: held[name] for name in held.files}
    except (ValueError, OSError, EOFError, zipfile.BadZipFile, zlib.error):
        return None


class StudiedReel:
    """A reel as a time step studies it (`steps.base.Reelwise`)."""

    def __init__(
        self, source: NamedSource, shots: Shots, word_on: Callable[[int], str], cache: ByteCache, step: str,
        studies: Studies | None = None,
    ) -> None:  # fmt: skip
        """Prepare.

        Args:
            source: the frames.
            shots: where they are cut.
            word_on: a person's verdict on what begins with a frame.
            cache: for luma, and, pinned, for what is learned.
            step: who learns it, with the version.
            studies: where that is kept for good.
        """
        self._source = source
        self._step = step
        self._shots = shots
        self._word_on = word_on
        self._cache = cache
        self._studies = studies

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        return self._source.format

    def __len__(self) -> int:
        return len(self._source)

    def frame(self, number: int) -> Frame:
        """Frame `number`."""
        return self._source.frame(number)

    def luma8(self, number: int) -> Luma8:
        """Its 8-bit luma."""
        key = f"luma/{self._source.name(number)}"
        return self._cache.get(key, lambda: self.frame(number).luma8(), lambda luma: luma.nbytes)

    def same_shot(self, number: int, other: int) -> bool:
        """Whether two frames lie in one shot."""
        return self._shots.same_shot(number, other)

    def joined(self, number: int, other: int) -> bool:
        """Whether two frames belong to one shot whatever lies between them."""
        return self._shots.joined(number, other)

    def kept(self, name: str, make: Callable[[], Arrays]) -> Arrays:
        """What was learned under a name, from the cache or the job where it is there."""
        key = content_key(
            "study", STUDY_VERSION, self._step, name, self._source.identity, len(self._source), self._shots.key()
        )

        def learn() -> Arrays:
            held = self._studies.study(key) if self._studies is not None else None
            known = _unpacked(held) if held is not None else None
            if known is not None:
                return known
            made = make()
            if self._studies is not None:
                self._studies.keep_study(key, _packed(made))
            return made

        return self._cache.pinned.get(f"study/{key}", learn, lambda _: 1)

    def word_on(self, number: int) -> str:
        """A person's verdict on what begins with a frame."""
        return self._word_on(number)
