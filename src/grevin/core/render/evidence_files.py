"""Evidence as pictures: `DIR/01-dirt/000000.png`, 8 bit, 255 where that step may act."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from grevin.core.errors import MediaError, OutputError
from grevin.core.media.still_image import read_image
from grevin.core.media.still_writer import write_samples
from grevin.core.media.writing import translated
from grevin.core.picture.frame import Mask
from grevin.core.treatment.plan import TreatedReel
from grevin.core.treatment.step_source import Acted, StepSource

ACTS = 255
MAP_NAME = "frames.json"  # which source frame each output frame comes from, where time was changed


class EvidenceWriter:
    """Writes what every step may have changed: aside first, as outputs are.

    Evidence of an earlier run in the same folder stays until this run has succeeded, and goes then, whole: what
    is left of another treatment would falsify a proof.
    """

    def __init__(self, folder: Path, treated: TreatedReel, source_folder: Path | None) -> None:
        """Prepare a folder; `source_folder` is that of the source's pictures, None for a video file.

        Raises:
            OutputError: if the folder is a file, holds the source, or cannot be written.
        """
        if folder.exists() and not folder.is_dir():
            raise OutputError(f"{folder} is not a folder.", "Give a folder for the evidence.")
        if source_folder is not None and folder.resolve() in {
            source_folder.resolve(),
            *source_folder.resolve().parents,
        }:
            raise OutputError(f"The evidence folder {folder} holds the source.", "Give the evidence another folder.")
        self._folder = folder
        self._timeline = treated.timeline
        self._written: list[int] = []
        self._aside = folder.with_name(f".{folder.name}.part")
        shutil.rmtree(self._aside, ignore_errors=True)
        with translated(folder):
            self._aside.mkdir(parents=True)
            for name in {_named(step.place, step) for chain in treated.chains() for step in chain.steps}:
                (self._aside / name).mkdir()

    def write(self, number: int, steps: Iterable[tuple[int, StepSource, Acted]]) -> None:
        """Write the evidence of one output frame; what a step made anew or as a whole is its own evidence."""
        self._written.append(number)
        for place, source, acted in steps:
            if acted.mask is not None:
                path = self._aside / _named(place, source) / f"{number:06}.png"
                with translated(path):
                    write_samples(path, acted.mask.astype(np.uint8) * np.uint8(ACTS))

    def commit(self) -> None:
        """Put the evidence in its place, instead of what an earlier run left there."""
        with translated(self._folder):
            self._folder.mkdir(parents=True, exist_ok=True)
            (self._folder / MAP_NAME).unlink(missing_ok=True)
            if self._timeline.moves:
                rows = [int(self._timeline.sources[number]) for number in self._written]
                (self._folder / MAP_NAME).write_text(json.dumps({"first": self._written[0], "sources": rows}))
            for old in self._folder.glob("[0-9][0-9]-*/[0-9][0-9][0-9][0-9][0-9][0-9]*.png"):
                old.unlink()
            for folder in sorted(self._aside.iterdir()):
                target = self._folder / folder.name
                target.mkdir(exist_ok=True)
                for picture in folder.iterdir():
                    picture.replace(target / picture.name)
            shutil.rmtree(self._aside)

    def discard(self) -> None:
        """Remove what was written aside; safe to call at any time."""
        shutil.rmtree(self._aside, ignore_errors=True)


def read_map(folder: Path) -> tuple[int, list[int]] | None:
    """(number of the first output frame, source frame of each) where time was changed; None where it was not.

    Raises:
        MediaError: if the file is damaged.
    """
    path = folder / MAP_NAME
    if not path.exists():
        return None
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
        return int(data["first"]), [int(number) for number in data["sources"]]
    except (ValueError, KeyError, TypeError) as fault:
        raise MediaError(f"{path} is damaged ({fault}).", "Write the output again with its evidence.") from fault


def _named(place: int, source: StepSource) -> str:
    """Name of the folder of a step."""
    return f"{place:02}-{source.step.id}"


def read_evidence(folder: Path, number: int, shape: tuple[int, int]) -> Mask:
    """Everything that any step may have changed on a frame: the union over `folder`'s steps.

    Raises:
        MediaError: if a picture is of another size.
    """
    union = np.zeros(shape, np.bool_)
    for path in sorted(folder.glob(f"*/{number:06}.png")):
        mask = read_image(path).planes[0]
        if mask.shape != shape:
            raise MediaError(f"The evidence {path} has another size than the reel.", "Give the evidence of this reel.")
        union |= mask > 0
    return union
