"""What steps learn before they act: of the whole reel where they change time, of single shots elsewhere."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from grevin.core.cache import ByteCache
from grevin.core.keys import content_key
from grevin.core.motion.flow import Luma8
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask
from grevin.core.steps.seen import Arrays
from grevin.core.treatment.shots import Shots
from grevin.core.treatment.window import Behind, ChainWindow, NamedSource

STUDY_VERSION = 2  # raised when what is learned of a reel changes, so that what an older Grevin learned is left


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


class Learned:
    """What was learned, pinned in the cache and kept for good where there is a place for it."""

    def __init__(self, cache: ByteCache, studies: Studies | None = None) -> None:
        self._pinned = cache.pinned
        self._studies = studies

    def __contains__(self, key: str) -> bool:
        return f"study/{key}" in self._pinned

    def get(self, key: str, make: Callable[[], Arrays]) -> Arrays:
        """What was learned under a key, made where nothing is kept."""

        def learn() -> Arrays:
            held = self._studies.study(key) if self._studies is not None else None
            known = _unpacked(held) if held is not None else None
            if known is not None:
                return known
            made = make()
            if self._studies is not None:
                self._studies.keep_study(key, _packed(made))
            return made

        return self._pinned.get(f"study/{key}", learn, lambda _: 1)


@dataclass(frozen=True, eq=False)
class Looks:
    """Where a person wants a shot measured.

    Attributes:
        seen: (H, W) bool of a frame; None for everywhere.
        key: changes with it.
        where: (H, W) bool of a frame, where the step may act, for steps that learn that place; None for everywhere.
    """

    seen: Callable[[int], Mask | None] = lambda number: None
    key: str = ""
    where: Callable[[int], Mask | None] = lambda number: None


class StudiedShot:
    """A shot as a step learns it (`steps.seen.Shotwise`)."""

    def __init__(
        self, source: NamedSource, frames: range, shots: Shots, cache: ByteCache, step: str, learned: Learned,
        reach: int, looks: Looks, path: Behind | None = None, per_frame: int = 1, of_fields: bool = False,
    ) -> None:  # fmt: skip
        """Prepare.

        Args:
            source: the frames.
            frames: of the shot.
            shots: where the reel is cut.
            cache: for what is derived from frames.
            step: who learns it, with the version.
            learned: where that is kept.
            reach: of the step.
            looks: where it is measured.
            path: earlier steps, which a step may look behind; None where none may be.
            per_frame: pictures a frame.
            of_fields: whether its pictures are fields of interlaced frames.
        """
        self._of_fields = of_fields
        self._path = path
        self._per_frame = per_frame
        self._looks = looks
        self._source = source
        self._reach = reach
        self._frames = frames
        self._shots = shots
        self._cache = cache
        self._step = step
        self._learned = learned

    @property
    def frames(self) -> range:
        """The pictures of the shot."""
        return self._frames

    @property
    def of_fields(self) -> bool:
        """Whether its pictures are fields of interlaced frames."""
        return self._of_fields

    @property
    def per_frame(self) -> int:
        """Pictures a frame."""
        return self._per_frame

    def window(self, number: int) -> ChainWindow:
        """One of them among its neighbours."""
        return ChainWindow(self._source, number, self._shots, self._cache, self._reach, self._path)

    def seen(self, number: int) -> Mask | None:
        """Where a person wants a frame of the shot measured."""
        return self._looks.seen(number)

    def where(self, number: int) -> Mask | None:
        """Where the step may act on a frame of the shot."""
        return self._looks.where(number)

    def kept(self, name: str, make: Callable[[], Arrays]) -> Arrays:
        """What was learned under a name, from the cache or the job where it is there."""
        run = self._source.run_key(self._frames.start, self._frames.stop)
        return self._learned.get(content_key("shot", STUDY_VERSION, self._step, name, run, self._looks.key), make)


class StudiedReel:
    """A reel as a time step studies it (`steps.seen.Reelwise`)."""

    def __init__(
        self, source: NamedSource, shots: Shots, word_on: Callable[[int], str], cache: ByteCache, step: str,
        learned: Learned,
    ) -> None:  # fmt: skip
        """Prepare.

        Args:
            source: the frames.
            shots: where they are cut.
            word_on: a person's verdict on what begins with a frame.
            cache: for luma.
            step: who learns it, with the version.
            learned: where that is kept.
        """
        self._source = source
        self._step = step
        self._shots = shots
        self._word_on = word_on
        self._cache = cache
        self._learned = learned

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
        return self._learned.get(key, make)

    def word_on(self, number: int) -> str:
        """A person's verdict on what begins with a frame."""
        return self._word_on(number)
