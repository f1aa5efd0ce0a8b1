"""What a folder holds: video files and numbered sequences, in it and below it."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from grevin.core.media.image_sequence import sequences_in
from grevin.core.media.still_image import IMAGE_SUFFIXES
from grevin.core.progress import Progress

VIDEO_SUFFIXES = {
    ".avi", ".mov", ".mp4", ".m4v", ".mkv", ".mxf", ".mpg", ".mpeg", ".vob", ".ts", ".m2ts", ".mts", ".dv", ".webm",
}  # fmt: skip
SHORTEST_SEQUENCE = 2  # a single numbered picture is a still, not a reel


@dataclass(frozen=True)
class Material:
    """What was found.

    Attributes:
        reels: files and patterns, sorted by name.
        passed_over: files that are no material.
    """

    reels: tuple[Path, ...]
    passed_over: tuple[Path, ...]


def find_material(folder: Path, progress: Progress) -> Material:
    """Every reel in a folder and below it; hidden files are not looked at.

    Raises:
        CancelledError: if asked to stop.
    """
    reels: list[Path] = []
    others: list[Path] = []
    progress.begin(0, "Looking through the folder")
    for place, folders, files in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        here = Path(place)
        patterns = sequences_in(here, SHORTEST_SEQUENCE)
        reels += [pattern.folder / pattern.name for pattern in patterns]
        for name in sorted(files):
            path = here / name
            if name.startswith("."):
                continue
            if path.suffix.lower() in VIDEO_SUFFIXES:
                reels.append(path)
            elif path.suffix.lower() not in IMAGE_SUFFIXES:
                others.append(path)
        progress.advance()
    return Material(tuple(reels), tuple(others))
