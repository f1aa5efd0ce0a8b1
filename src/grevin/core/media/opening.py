"""Opening whatever a person names: a video file, a picture, a folder, a sequence pattern."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

from grevin.core.errors import MediaError
from grevin.core.media.frame_index import IndexStore
from grevin.core.media.image_sequence import ImageSequence, SequencePattern, find_pattern, is_pattern, parse_pattern
from grevin.core.media.still_image import IMAGE_SUFFIXES
from grevin.core.media.video_file import VideoFile
from grevin.core.progress import Progress

Reader = VideoFile | ImageSequence


def open_reel(
    path: Path, progress: Progress | None = None, rate: Fraction | None = None, store: IndexStore | None = None,
    patient: bool = True,
) -> Reader:  # fmt: skip
    """Open material for reading.

    Args:
        path: video file, single picture, folder with one numbered sequence, or pattern (`name.%06d.png`).
        progress: indexing is reported to it and can be cancelled.
        rate: frames per second of a sequence, which carries none.
        store: keeps frame indices between two openings.
        patient: False to be content with the first piece of the index (see `VideoFile`).

    Raises:
        MediaError: one sentence about what is wrong with it.
    """
    try:
        return _open(path, progress, rate, store, patient)
    except PermissionError as fault:
        raise MediaError(f"{path} may not be read by you.", "Ask for permission to read it.") from fault


def _open(
    path: Path, progress: Progress | None, rate: Fraction | None, store: IndexStore | None, patient: bool
) -> Reader:  # fmt: skip
    if is_pattern(path):
        return ImageSequence(parse_pattern(path), rate)
    if not path.exists():
        raise MediaError(f"There is no file or folder {path}.", "Check the spelling and that its disk is connected.")
    if path.is_dir():
        return ImageSequence(find_pattern(path), rate)
    if not path.is_file():
        raise MediaError(f"{path} is not a file.", "Give a video file, a picture or a folder of pictures.")
    if path.stat().st_size == 0:
        raise MediaError(f"{path.name} is empty (0 bytes).", "Copy it again from its source.")
    if path.suffix.lower() in IMAGE_SUFFIXES:
        return ImageSequence(_single_picture(path), rate)
    return VideoFile(path, progress, store, patient)


class _SinglePicture(SequencePattern):
    """A pattern that names exactly one file."""

    def path(self, number: int) -> Path:
        return self.folder / self.prefix

    def numbers(self) -> list[int]:
        return [0]

    @property
    def name(self) -> str:
        return self.prefix


def _single_picture(path: Path) -> SequencePattern:
    return _SinglePicture(path.parent, path.name, 0, "")
