"""Opening containers for reading."""

from __future__ import annotations

from pathlib import Path

import av
from av.container import InputContainer


def open_container(path: Path | str) -> InputContainer:
    """A container for reading; words in it that are no proper text are shown as far as they can be."""
    return av.open(str(path), "r", metadata_errors="replace")
