"""A reel is a lazy sequence of frames: the one thing every reader, step and cache is."""

from __future__ import annotations

from typing import Protocol

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame


class FrameSource(Protocol):
    """Frames by number. Random access and one-after-another give the same pictures; thread-safe."""

    @property
    def format(self) -> PictureFormat:
        """Format of every frame."""
        ...

    @property
    def identity(self) -> str:
        """Content key of the whole sequence: changes whenever any picture could."""
        ...

    def __len__(self) -> int:
        """Number of frames."""
        ...

    def frame(self, number: int) -> Frame:
        """Frame `number`, 0 <= number < len(self); IndexError outside."""
        ...
