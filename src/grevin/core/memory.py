"""Memory that pictures take while they are made, and what there is of it."""

from __future__ import annotations

import os
from pathlib import Path

from grevin.core.errors import NoMemoryError
from grevin.core.parallel import usual_workers
from grevin.core.picture.format import PictureFormat

# of a picture enlarged by learning, the dearest way, measured at 2 and 4 times its size: 35 to 61 and 112 to 121
BYTES_A_PIXEL = {"yuv": 60, "grey": 60, "rgb": 120}
MEMINFO = Path("/proc/meminfo")
GIGA = 1e9


def free_bytes() -> int:
    """Memory that can be taken without pushing anything out."""
    try:
        lines = dict(line.split(":", 1) for line in MEMINFO.read_text().splitlines() if ":" in line)
        return int(lines["MemAvailable"].split()[0]) << 10
    except (OSError, KeyError, ValueError, IndexError):
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_AVPHYS_PAGES")


def bytes_to_make(fmt: PictureFormat) -> int:
    """About how much one picture of a format takes while it is made."""
    return fmt.width * fmt.height * BYTES_A_PIXEL[fmt.model]


def check_memory(fmt: PictureFormat) -> None:
    """Refuse a picture that there is no memory for.

    Raises:
        NoMemoryError: with the figures.
    """
    needed, free = bytes_to_make(fmt), free_bytes()
    if needed > free:
        raise NoMemoryError(
            f"The picture would be {fmt.width} x {fmt.height} px: one takes about {needed / GIGA:.1f} GB of memory "
            f"while it is made, and {free / GIGA:.1f} GB are free.",
            "Choose fewer lines, or close what else takes memory.",
        )


def workers_for(fmt: PictureFormat) -> int:
    """Threads that may make pictures of a format at once: all, or as many as there is memory for."""
    return max(1, min(usual_workers(), free_bytes() // max(1, bytes_to_make(fmt))))
