"""What the window remembers between two starts: recent jobs, its size, and how one looked."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtGui import QColor

from grevin.desktop.neighbour_strip.strip import COUNTS
from grevin.desktop.places.bench import Bench

MOST_JOBS = 12


def recent_jobs(settings: QSettings) -> list[Path]:
    """Jobs worked on before that are still there, the last one first."""
    held = settings.value("recent")
    names = held if isinstance(held, list) else [held] if isinstance(held, str) else []
    return [path for path in map(Path, names) if path.is_file()]


def remember_job(settings: QSettings, job: Path) -> None:
    """Put a job at the top of the list."""
    jobs = [job, *(path for path in recent_jobs(settings) if path != job)]
    settings.setValue("recent", [str(path) for path in jobs[:MOST_JOBS]])


def remember_looking(settings: QSettings, bench: Bench) -> None:
    """Keep how one looks for the next start."""
    for name, value in (
        ("scopes", bench.scopes.isVisibleTo(bench.side)), ("scope_kinds", bench.scopes.kinds()),
        ("strip", bench.strip.count),
        ("evidence_colour", "{:02x}{:02x}{:02x}".format(*bench.looking.drawing.colour)),
    ):  # fmt: skip
        settings.setValue(name, value)


def restore_looking(settings: QSettings, bench: Bench) -> None:
    """Look as at the end of the last time."""
    colour = QColor(f"#{settings.value('evidence_colour', '')}")
    if colour.isValid():
        bench.looking.draw(colour=(colour.red(), colour.green(), colour.blue()))
    counts = {str(count): count for count in COUNTS}
    bench.strip.show_count(counts.get(str(settings.value("strip")), COUNTS[-1]))
    kinds = settings.value("scope_kinds")
    bench.scopes.show_kinds(kinds if isinstance(kinds, list) else [])
    bench.show_scopes(settings.value("scopes", False) in {True, "true"})
