"""Telling whether a file on disk is still the same one."""

from __future__ import annotations

from pathlib import Path

from grevin.core.keys import content_key

END_BYTES = 1 << 16  # read at both ends: enough to tell two captures of the same size apart


def file_identity(path: Path) -> str:
    """Key over a file's size, time of change and both ends; cheap for any length."""
    facts = path.stat()
    with path.open("rb") as stream:
        head = stream.read(END_BYTES)
        stream.seek(max(0, facts.st_size - END_BYTES))
        tail = stream.read(END_BYTES)
    return content_key(facts.st_size, facts.st_mtime_ns, head, tail)
