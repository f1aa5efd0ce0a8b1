"""The size of a picture from its header alone, to find the odd ones of a sequence without decoding any."""

from __future__ import annotations

import struct
from pathlib import Path

import OpenEXR
import tifffile

HEADER_BYTES = 1 << 16  # a JPEG's frame header may follow large tables and notes
_JPEG_FRAMES = set(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}  # start-of-frame markers, ITU-T T.81 table B.1

Size = tuple[int, int]


def picture_size(path: Path) -> Size | None:
    """(width, height) as the header says; None if there is no header to be understood."""
    suffix = path.suffix.lower()
    try:
        if suffix in {".tif", ".tiff"}:
            with tifffile.TiffFile(path) as file:
                page = file.pages[0]
                return int(page.imagewidth), int(page.imagelength)  # type: ignore[union-attr]
        if suffix == ".exr":
            return _exr_size(path)
        with path.open("rb") as stream:
            head = stream.read(HEADER_BYTES)
        return {".png": _png_size, ".dpx": _dpx_size}.get(suffix, _jpeg_size)(head)
    except (OSError, ValueError, RuntimeError, LookupError, AttributeError, struct.error, tifffile.TiffFileError):
        return None


def _png_size(head: bytes) -> Size:
    width, height = struct.unpack_from(">II", head, 16)  # ISO/IEC 15948, 11.2.2
    return width, height


def _dpx_size(head: bytes) -> Size:
    order = ">" if head[:4] == b"SDPX" else "<"
    width, height = struct.unpack_from(f"{order}II", head, 772)  # SMPTE ST 268, image information header
    return width, height


def _jpeg_size(head: bytes) -> Size | None:
    place = 2
    while place + 9 < len(head) and head[place] == 0xFF:
        if head[place + 1] in _JPEG_FRAMES:
            height, width = struct.unpack_from(">HH", head, place + 5)
            return width, height
        place += 2 + struct.unpack_from(">H", head, place + 2)[0]
    return None


def _exr_size(path: Path) -> Size:
    if not path.is_file():
        raise OSError(path)
    with OpenEXR.File(str(path), header_only=True) as file:
        low, high = file.header()["dataWindow"]
    return int(high[0] - low[0] + 1), int(high[1] - low[1] + 1)
