"""The sound of a run as a file of its own: PCM, in WAV one track, in Matroska any number of them.

A WAV file says where it lies on the clock by the time reference of EBU Tech 3285, and may pass 4 GiB (EBU Tech 3306).
"""

from __future__ import annotations

import contextlib
import hashlib
import os
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from grevin.core.errors import OutputError, ProofError
from grevin.core.media.container import open_container
from grevin.core.media.sound import RemadeSound, Remaking, SoundTrack, sample_bytes
from grevin.core.media.video_file import VideoFile
from grevin.core.progress import Progress

_WAV, _MATROSKA = ".wav", ".mka"
CONTAINERS = {_WAV: "wav", _MATROSKA: "matroska"}
SOUND_SUFFIXES = frozenset(CONTAINERS)
_LARGE, _ON_THE_CLOCK = {"rf64": "auto"}, {"write_bext": "1"}  # options of the muxer


class SoundFile:
    """Writes `.NAME.part.SUFFIX` beside the output; nothing bears its name before `commit`."""

    def __init__(self, output: Path, source: VideoFile, overwrite: bool) -> None:
        """Prepare.

        Args:
            output: the file.
            source: where the sound comes from.
            overwrite: whether a file of that name may be replaced.

        Raises:
            OutputError: if there is no sound, the file cannot hold it, or may not be written.
        """
        self.output = output
        self.aside = output.with_name(f".{output.stem}.part{output.suffix}")
        self.notes: tuple[str, ...] = ()
        self.tracks: tuple[SoundTrack, ...] = ()
        self._source = source
        self._suffix = output.suffix.lower()
        self._refuse(overwrite)
        output.parent.mkdir(parents=True, exist_ok=True)

    def _refuse(self, overwrite: bool) -> None:
        tracks = len(self._source.details.audio)
        if not tracks:
            raise OutputError(f"{self._source.path.name} has no sound.", "Choose another version.")
        if tracks > 1 and self._suffix == _WAV:
            raise OutputError(
                f"A WAV file holds one track, and {self._source.path.name} has {tracks} of them.",
                f"Let the name end in {_MATROSKA}, which holds them all.",
            )
        if self.output.is_dir():
            raise OutputError(f"{self.output} is a folder.", "Give a file name.")
        if self.output.exists() and self.output.samefile(self._source.path):
            raise OutputError("The output is the source itself.", "Give the output another name.")
        if self.output.exists() and not overwrite:
            raise OutputError(f"{self.output.name} exists already.", "Choose another name or allow overwriting.")

    def write(
        self, frames: range, how: Remaking, seconds: tuple[Fraction, Fraction], begins: Fraction | None,
        progress: Progress,
    ) -> None:  # fmt: skip
        """Write all of it, then read it back.

        Args:
            frames: of the source, whose sound is written.
            how: as in `RemadeSound`.
            seconds: how long they play in the source and in the output.
            begins: time of day of the first frame, in seconds; None where no timecode tells.
            progress: told of seconds, and asked whether to stop.

        Raises:
            ProofError: if it does not read back as written.
        """
        clocked = begins is not None and self._suffix == _WAV
        options = {**(_LARGE if self._suffix == _WAV else {}), **(_ON_THE_CLOCK if clocked else {})}
        whole = max(1, int(seconds[1]))
        with av.open(str(self.aside), "w", format=CONTAINERS[self._suffix], container_options=options) as target:
            sound = RemadeSound(target, self._source, frames, how, seconds)
            with contextlib.closing(sound):
                if begins is not None and clocked:
                    target.metadata["time_reference"] = str(round(begins * sound.tracks[0].rate))
                progress.begin(whole, "Writing the sound")
                for second in range(1, whole + 1):
                    sound.carry_until(Fraction(second))
                    progress.advance()
                sound.carry_until(None)
                self.tracks, self.notes = sound.tracks, sound.notes
        with self.aside.open("rb") as stream:
            os.fsync(stream.fileno())
        self._read_back(progress)

    def _read_back(self, progress: Progress) -> None:
        progress.begin(len(self.tracks), "Reading back")
        with contextlib.closing(open_container(self.aside)) as container:
            found = [_found(container, place, progress) for place in range(len(container.streams.audio))]
        if found != list(self.tracks):
            raise ProofError(
                f"The sound of {self.output.name} does not read back as written.",
                "Nothing was named; try another disk.",
            )

    def commit(self) -> None:
        """Rename to the output's name."""
        self.aside.replace(self.output)

    def discard(self) -> None:
        """Remove what was written aside."""
        self.aside.unlink(missing_ok=True)


def _found(container: Any, place: int, progress: Progress) -> SoundTrack:
    """A track as it reads back."""
    track = container.streams.audio[place]
    codec, samples, digest = track.codec_context.name, 0, hashlib.md5(usedforsecurity=False)
    container.seek(0)
    for frame in container.decode(track):
        samples += frame.samples
        digest.update(sample_bytes(frame, codec))
        progress.check()
    progress.advance()
    return SoundTrack(int(track.rate), track.layout.nb_channels, samples, digest.hexdigest())
