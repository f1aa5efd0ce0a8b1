"""Opening containers for reading."""

from __future__ import annotations

from pathlib import Path

import av
from av.container import InputContainer

from grevin.core.errors import MediaError

MOST_PIXELS = 1 << 27  # 16k by 8k: more is a damaged header, or would not fit into memory


def open_container(path: Path | str) -> InputContainer:
    """A container for reading; words in it that are no proper text are shown as far as they can be."""
    return av.open(str(path), "r", metadata_errors="replace")


def check_size(name: str, width: int, height: int) -> None:
    """Refuse pictures of a size that only a damaged header announces.

    Raises:
        MediaError: for more than `MOST_PIXELS`.
    """
    if width * height > MOST_PIXELS:
        raise MediaError(
            f"{name} announces pictures of {width}x{height}, which cannot be right.",
            "Its header is damaged: copy it again from its source.",
        )
