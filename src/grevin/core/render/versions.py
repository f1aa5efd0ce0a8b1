"""Versions: what each is for, how it is coded, how its file is called. Some to begin with, and a person's own."""

from __future__ import annotations

import re
from collections.abc import Collection
from pathlib import Path
from typing import Literal

import platformdirs
import pydantic
from pydantic import BaseModel, ConfigDict

from grevin.core.errors import UsageError
from grevin.core.media.codings import CODINGS, Coding
from grevin.core.media.sound_file import SOUND_SUFFIXES
from grevin.core.media.still_writer import WRITTEN_SUFFIXES
from grevin.core.render.wanted import Wanted

PURPOSES = {"archive master": "Archive master", "intermediate": "Intermediate", "access copy": "Access copy"}
_SEQUENCES = (("dpx", "DPX", "dpx"), ("tiff", "TIFF", "tif"), ("exr", "OpenEXR", "exr"), ("png", "PNG", "png"))
_SOUNDS = (("wav", "WAV, one track"), ("mka", "Matroska, every track"))
STEM = "{stem}"
_WORD = re.compile(r"\{(\w*)\}")


class Version(Wanted):
    """One thing to write from a reel; what is wanted of it, as `Wanted` has it.

    Attributes:
        id: its name.
        label: for people.
        name: of the file, perhaps in a folder of its own; `{stem}` stands for the name of the material.
        coding_id: of a video (`media.codings`); "" for a picture sequence, or sound alone.
        evidence, ledger: whether they are written beside it.
        own: whether a person made it.
    """

    id: str
    label: str
    name: str
    coding_id: str = ""
    evidence: bool = False
    ledger: bool = False
    own: bool = False

    @pydantic.field_validator("name")
    @classmethod
    def _check_name(cls, name: str) -> str:
        """A pattern that names files below a folder, each reel's its own."""
        if STEM not in name or any(word != "stem" for word in _WORD.findall(name)):
            raise ValueError(
                f"“{name}” has to hold {STEM}, which stands for the name of the material, and no other word"
            )
        parts = Path(name).parts
        if Path(name).is_absolute() or ".." in parts or any(part.startswith(".") for part in parts):
            raise ValueError(f"“{name}” leads out of the folder, or is hidden")
        return name

    @pydantic.field_validator("coding_id")
    @classmethod
    def _check_coding(cls, coding: str) -> str:
        if coding and coding not in CODINGS:
            raise ValueError(f"“{coding}” is no coding")
        return coding

    @property
    def coding(self) -> Coding | None:
        """Of a video; None for a picture sequence, or sound alone."""
        return CODINGS.get(self.coding_id)

    @property
    def sound_alone(self) -> bool:
        """Whether it is a file of sound."""
        return Path(self.name).suffix.lower() in SOUND_SUFFIXES

    def path(self, folder: Path, stem: str) -> Path:
        """Where it is written if nobody says otherwise."""
        return folder / self.name.replace(STEM, stem.replace("/", "-") or "reel")

    def free_path(self, folder: Path, stem: str, known: Collection[Path] = ()) -> Path:
        """The same under a running number where that name is taken, by a file or one of `known`."""
        path, number = self.path(folder, stem), 2
        while path in known or _is_there(path):
            path, number = self.path(folder, f"{stem}-{number}"), number + 1
        return path


def _is_there(path: Path) -> bool:
    return any(path.parent.glob("*")) if "%" in path.name and path.parent.is_dir() else path.exists()


def _video(coding: Coding) -> Version:
    loss = " in Matroska, without loss" if coding.lossless else ""
    same = [one for one in CODINGS.values() if one.suffix == coding.suffix]
    ending = "" if coding.lossless or coding is same[0] else f"-{coding.id}"
    label = f"{PURPOSES[coding.kind]}: {coding.label}{loss}"
    return Version(id=coding.id, label=label, name=f"{STEM}-treated{ending}{coding.suffix}", coding_id=coding.id)


VERSIONS = (
    *(_video(coding) for coding in CODINGS.values()),
    *(
        Version(id=name, label=f"{label} sequence", name=f"{STEM}-treated/{STEM}.%06d.{end}")
        for name, label, end in _SEQUENCES
    ),
    *(Version(id=name, label=f"Sound alone: {label}", name=f"{STEM}-sound.{name}") for name, label in _SOUNDS),
)


class _Kept(BaseModel):
    """The file of them."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: Literal["grevin-versions"] = "grevin-versions"
    version: Literal[1] = 1
    versions: tuple[Version, ...] = ()


class OwnVersions:
    """Versions that a person made, in a file of theirs."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def all(self) -> tuple[Version, ...]:
        """They, in the order in which they were made.

        Raises:
            UsageError: if the file cannot be understood; it is left as it is.
        """
        try:
            kept = _Kept.model_validate_json(self._path.read_bytes())
        except FileNotFoundError:
            return ()
        except (OSError, ValueError) as fault:
            raise UsageError(
                f"Your versions in {self._path} cannot be read ({fault}).", "Mend the file, or move it away."
            ) from fault
        return tuple(one.model_copy(update={"own": True}) for one in kept.versions)

    def keep(self, version: Version) -> None:
        """Keep one; another of that name gives way.

        Raises:
            UsageError: if the file cannot be understood or written.
        """
        self._write([*(one for one in self.all() if one.id != version.id), version])

    def forget(self, name: str) -> None:
        """Forget one."""
        self._write([one for one in self.all() if one.id != name])

    def _write(self, versions: list[Version]) -> None:
        text = _Kept(versions=tuple(versions)).model_dump_json(indent=1)
        aside = self._path.with_name(f".{self._path.name}.part")
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            aside.write_text(text + "\n", encoding="utf-8")
            aside.replace(self._path)
        except OSError as fault:
            raise UsageError(f"{self._path} cannot be written ({fault.strerror}).", "Ask for the right to.") from fault


def user_versions() -> OwnVersions:
    """Those of the person who is logged in."""
    return OwnVersions(Path(platformdirs.user_config_dir("grevin")) / "versions.json")


def own_version(label: str, output: Path, stem: str, **wanted: object) -> Version:
    """A person's version, whose pattern is made of the output that it was tried with.

    Args:
        label: what it is called.
        output: file or sequence pattern.
        stem: of the material that output is of.
        wanted: as in `Version`.

    Raises:
        UsageError: if it has no name, or one that is taken by a version that Grevin begins with.
    """
    label = " ".join(label.split())
    if not label or label in {one.id for one in VERSIONS}:
        raise UsageError(f"A version cannot be called “{label}”.", "Give it a name of its own.")
    name = f"{output.parent.name}/{output.name}" if output.suffix.lower() in WRITTEN_SUFFIXES else output.name
    name = name.replace(stem, STEM) if stem and stem in name else f"{STEM}-{name.lstrip('/')}"
    try:
        return Version.model_validate({"id": label, "label": label, "name": name, "own": True, **wanted})
    except pydantic.ValidationError as fault:
        raise UsageError(f"{fault.errors()[0]['msg']}.", "Give the output another name.") from fault


def version_named(name: str) -> Version:
    """One of those that Grevin begins with, or a person's own.

    Raises:
        UsageError: if there is none, with those that there are.
    """
    known = {one.id: one for one in (*VERSIONS, *user_versions().all())}
    if name not in known:
        raise UsageError(f"There is no version “{name}”.", f"Give one of {', '.join(known)}.")
    return known[name]
