"""What the window remembers between two starts: recent jobs, its size, and how one looked."""

from __future__ import annotations

import contextlib
from pathlib import Path

import platformdirs
from PySide6.QtCore import QSettings, QSize, Qt
from PySide6.QtGui import QColor, QPixmap

from grevin.core.keys import content_key
from grevin.desktop.neighbour_strip.strip import COUNTS
from grevin.desktop.places.bench import Bench
from grevin.desktop.style import look as style

MOST_JOBS = 12
PICTURE = QSize(128, 96)


def recent_jobs(settings: QSettings) -> list[Path]:
    """Jobs worked on before that are still there, the last one first."""
    held = settings.value("recent")
    names = held if isinstance(held, list) else [held] if isinstance(held, str) else []
    return [path for path in map(Path, names) if path.is_file()]


def remember_job(settings: QSettings, job: Path) -> None:
    """Put a job at the top of the list."""
    jobs = [job, *(path for path in recent_jobs(settings) if path != job)]
    settings.setValue("recent", [str(path) for path in jobs[:MOST_JOBS]])


def picture_of(job: Path) -> Path:
    """Where the picture that one looked at last is kept."""
    folder = Path(platformdirs.user_cache_dir("grevin")) / "jobs"
    return folder / f"{content_key('picture', job)}.png"


def words_on(settings: QSettings, job: Path) -> str:
    """What was being done in a job."""
    return str(settings.value(f"doing/{content_key('doing', job)}", ""))


def remember_state(settings: QSettings, job: Path, picture: QPixmap, words: str) -> None:
    """Keep a small picture of what one looked at, and what was being done; without it the list has words alone."""
    settings.setValue(f"doing/{content_key('doing', job)}", words)
    target = picture_of(job)
    with contextlib.suppress(OSError):
        target.parent.mkdir(parents=True, exist_ok=True)
        small = picture.scaled(PICTURE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
        small.save(str(target))


def remember_looking(settings: QSettings, bench: Bench) -> None:
    """Keep how one looks for the next start."""
    for name, value in (
        ("scopes", bench.scopes.isVisibleTo(bench.side)), ("scope_kinds", bench.scopes.kinds()),
        ("strip", bench.strip.count), ("light_surround", style.light_surround()),
        ("evidence_colour", "{:02x}{:02x}{:02x}".format(*bench.looking.drawing.colour)),
    ):  # fmt: skip
        settings.setValue(name, value)


def restore_looking(settings: QSettings, bench: Bench) -> None:
    """Look as at the end of the last time."""
    colour = QColor(f"#{settings.value('evidence_colour', '')}")
    if colour.isValid():
        bench.looking.draw(colour=(colour.red(), colour.green(), colour.blue()))
    style.use_light_surround(settings.value("light_surround", False) in {True, "true"})
    counts = {str(count): count for count in COUNTS}
    bench.strip.show_count(counts.get(str(settings.value("strip")), COUNTS[-1]))
    kinds = settings.value("scope_kinds")
    bench.scopes.show_kinds(kinds if isinstance(kinds, list) else [])
    bench.show_scopes(settings.value("scopes", False) in {True, "true"})
