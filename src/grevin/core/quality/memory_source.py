"""Frames that are held in memory as a source: for tests, the bench and simulated damage."""

from __future__ import annotations

from collections.abc import Sequence

from grevin.core.keys import content_key
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame


class MemorySource:
    """A FrameSource over a list of frames of one format."""

    def __init__(self, frames: Sequence[Frame], name: str) -> None:
        if not frames:
            raise ValueError("a source needs at least one frame")
        self._frames = [frame.with_number(place) for place, frame in enumerate(frames)]
        self._identity = content_key("memory", name, len(frames), id(self))

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        return self._frames[0].format

    @property
    def identity(self) -> str:
        """Different for every object."""
        return self._identity

    def __len__(self) -> int:
        return len(self._frames)

    def frame(self, number: int) -> Frame:
        """Frame `number`."""
        if number < 0:
            raise IndexError(number)
        return self._frames[number]
