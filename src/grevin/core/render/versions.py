"""Versions that outputs begin with: what each is for, how it is coded, how its file is called."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

from grevin.core.media.codings import CODINGS, Coding

PURPOSES = {"archive master": "Archive master", "intermediate": "Intermediate", "access copy": "Access copy"}
_SEQUENCES = (("dpx", "DPX", "dpx"), ("tiff", "TIFF", "tif"), ("exr", "OpenEXR", "exr"), ("png", "PNG", "png"))


@dataclass(frozen=True)
class Version:
    """One thing to write from a reel.

    Attributes:
        id: its name.
        label: for people.
        name: of the file, `{stem}` for that of the material.
        coding: of a video; None for a picture sequence.
    """

    id: str
    label: str
    name: str
    coding: Coding | None = None

    def path(self, folder: Path, stem: str) -> Path:
        """Where it is written if nobody says otherwise."""
        return folder / self.name.format(stem=stem)

    def free_path(self, folder: Path, stem: str, known: Collection[Path] = ()) -> Path:
        """The same under a running number where that name is taken, by a file or one of `known`."""
        path, number = self.path(folder, stem), 2
        while path in known or path.exists():
            path, number = self.path(folder, f"{stem}-{number}"), number + 1
        return path


def _video(coding: Coding) -> Version:
    loss = " in Matroska, without loss" if coding.lossless else ""
    same = [one for one in CODINGS.values() if one.suffix == coding.suffix]
    ending = "" if coding.lossless or coding is same[0] else f"-{coding.id}"
    label = f"{PURPOSES[coding.kind]}: {coding.label}{loss}"
    return Version(coding.id, label, f"{{stem}}-treated{ending}{coding.suffix}", coding)


VERSIONS = (
    *(_video(coding) for coding in CODINGS.values()),
    *(Version(name, f"{label} sequence", f"{{stem}}-treated/{{stem}}.%06d.{end}") for name, label, end in _SEQUENCES),
)
