"""Writing outputs: aside under a temporary name first, named only once they were proved."""

from __future__ import annotations

import errno
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Protocol

import av

from grevin.core.errors import NoSpaceError, OutputError
from grevin.core.media.codings import Coding, Quality, coding_for
from grevin.core.media.image_sequence import is_pattern, parse_pattern
from grevin.core.media.opening import Reader
from grevin.core.media.sequence_writer import SequenceWriter
from grevin.core.media.still_writer import WRITTEN_SUFFIXES
from grevin.core.media.video_writer import Start, VideoWriter
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame

NEARLY_FULL_BYTES = 4 << 20  # some libraries report a full disk as a short write, without the system's number
_FULL = {errno.ENOSPC, errno.EDQUOT, errno.EFBIG}


class Writer(Protocol):
    """Takes frames in order; nothing bears the output's name before `commit`."""

    aside: Path
    notes: tuple[str, ...]

    def write(self, frame: Frame) -> None:
        """Write the next frame."""
        ...

    def finish(self) -> None:
        """End the temporary output, so that it can be read back."""
        ...

    def commit(self) -> None:
        """Give the temporary output its name."""
        ...

    def discard(self) -> None:
        """Remove the temporary output; safe to call at any time."""
        ...


def open_writer(
    output: Path, source: Reader | None, fmt: PictureFormat, frames: range, overwrite: bool = False,
    start: Start | None = None, outputs: range | None = None, coding: Coding | None = None, quality: Quality = "fine",
) -> Writer:  # fmt: skip
    """A writer by the output's name: a video in some coding, or, for `name.%06d.png` and the like, a sequence.

    Args:
        output: the output.
        source: where times and sound come from.
        fmt: format of the frames.
        frames: frames of the source.
        overwrite: whether an output of that name may be replaced.
        start: how the output lies in time.
        outputs: numbers of the output's frames where time was changed.
        coding: how a video is coded; None by the ending of its name.
        quality: how well.

    Raises:
        UsageError: for another ending.
        OutputError: if it exists (without `overwrite`), is the source, or cannot be written there.
    """
    if is_pattern(output) and output.suffix.lower() in WRITTEN_SUFFIXES:
        pattern = parse_pattern(output)
        with translated(output):
            return SequenceWriter(pattern, source, fmt, frames if outputs is None else outputs, overwrite)
    coding = coding or coding_for(output)
    with translated(output):
        return VideoWriter(output, source, fmt, frames, overwrite, start or Start(), coding, quality)


@contextmanager
def translated(output: Path) -> Iterator[None]:
    """Turn the system's and the libraries' faults while writing into a sentence."""
    try:
        yield
    except OSError as fault:  # FFmpeg's errors are OSErrors too where the system raised them
        free = shutil.disk_usage(_existing_parent(output)).free
        if fault.errno in _FULL or (fault.errno is None and free < NEARLY_FULL_BYTES):
            raise NoSpaceError(
                f"There is no room left to write {output.name} ({free / 1e6:.0f} MB free).",
                "Free some space or choose another folder; nothing was left behind.",
            ) from fault
        reason = fault.strerror or str(fault)
        raise OutputError(f"{output} cannot be written ({reason}).", "Choose a folder you may write to.") from fault
    except av.error.FFmpegError as fault:
        raise OutputError(f"{output.name} cannot be written ({fault}).", "Choose another output.") from fault


def _existing_parent(path: Path) -> Path:
    folder = path.absolute().parent
    while not folder.exists():
        folder = folder.parent
    return folder
