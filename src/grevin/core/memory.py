"""What memory there is for pictures that take much of it while they are made."""

from __future__ import annotations

import os
from pathlib import Path

from grevin.core.errors import NoMemoryError
from grevin.core.parallel import usual_workers
from grevin.core.picture.format import PictureFormat

MEMINFO = Path("/proc/meminfo")
GIGA = 1e9


def free_bytes() -> int:
    """Memory that can be taken without pushing anything out."""
    try:
        lines = dict(line.split(":", 1) for line in MEMINFO.read_text().splitlines() if ":" in line)
        return int(lines["MemAvailable"].split()[0]) << 10
    except (OSError, KeyError, ValueError, IndexError):
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_AVPHYS_PAGES")


def check_memory(fmt: PictureFormat, needed: int) -> None:
    """Refuse a picture that there is no memory for.

    Args:
        fmt: of the picture.
        needed: bytes while it is made.

    Raises:
        NoMemoryError: with the figures.
    """
    free = free_bytes()
    if needed > free:
        raise NoMemoryError(
            f"The picture would be {fmt.width} x {fmt.height} px: one takes about {needed / GIGA:.1f} GB of memory "
            f"while it is made, and {free / GIGA:.1f} GB are free.",
            "Choose fewer lines or a plain way, or close what else takes memory.",
        )


def workers_for(needed: int) -> int:
    """Threads that may make pictures at once, each of which takes so many bytes: all, or as many as there is memory."""
    return max(1, min(usual_workers(), free_bytes() // max(1, needed)))
