"""Numbered pictures as an output: PNG, TIFF, DPX or OpenEXR."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

from grevin.core.errors import OutputError
from grevin.core.media.image_sequence import ImageSequence, SequencePattern
from grevin.core.media.still_image import EXR_SUFFIXES
from grevin.core.media.still_writer import as_picture, write_picture
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame


class SequenceWriter:
    """Writes into a hidden folder beside the pictures' place; see `writing.Writer`.

    Pictures keep the reel's frame numbers (and a sequence its own numbering).
    """

    def __init__(
        self, pattern: SequencePattern, source: Any, fmt: PictureFormat, frames: range, overwrite: bool
    ) -> None:
        self.pattern = pattern
        self._suffix = pattern.suffix.lower()
        first = source.first_number if isinstance(source, ImageSequence) else 0
        self._numbers = [first + number for number in frames]
        self._written = 0
        self._refuse(source, overwrite)
        self.aside = pattern.folder / f".{pattern.prefix.strip('.') or 'sequence'}.part"
        self.notes: tuple[str, ...] = ()
        if isinstance(source, VideoFile) and source.details.audio:
            self.notes += ("Pictures carry no sound: the audio tracks were left out.",)
        if self._suffix in EXR_SUFFIXES and fmt.sample != "half":
            self.notes += (f"The pictures are linear light in 16-bit floating point, made from {fmt.describe()}.",)
        elif fmt.model == "yuv":
            self.notes += (
                f"The pictures are R'G'B' made from {fmt.describe()}; write .mkv to keep its own code values.",
            )
        shutil.rmtree(self.aside, ignore_errors=True)
        self.aside.mkdir(parents=True)

    def _refuse(self, source: Any, overwrite: bool) -> None:
        targets = [self.pattern.path(number) for number in self._numbers]
        if isinstance(source, ImageSequence) and self.pattern.folder.is_dir():
            same = self.pattern.folder.samefile(source.pattern.folder)
            if same and self.pattern.name == source.pattern.name:
                raise OutputError(
                    "The output is the source itself.",
                    "Give the output another folder or name; sources are never written to.",
                )
        present = [path for path in targets if path.exists()]
        if present and not overwrite:
            raise OutputError(
                f"{present[0].name} exists already ({len(present)} of {len(targets)} pictures).",
                "Choose another name or folder, or allow overwriting.",
            )

    def _place(self, folder: Path, index: int) -> Path:
        return folder / self.pattern.path(self._numbers[index]).name

    def write(self, frame: Frame) -> None:
        """Write the next picture."""
        write_picture(self._place(self.aside, self._written), as_picture(frame, self._suffix))
        self._written += 1

    def finish(self) -> None:
        """All pictures are closed already."""

    def commit(self) -> None:
        """Move the pictures to their place."""
        for index in range(self._written):
            self._place(self.aside, index).replace(self._place(self.pattern.folder, index))
        self.aside.rmdir()

    def discard(self) -> None:
        """Remove what was written aside."""
        shutil.rmtree(self.aside, ignore_errors=True)
