"""Pixel shape in a Matroska header.

The muxer of our libraries leaves DisplayWidth and DisplayHeight out (RFC 9559, 5.1.4.1.28.12 and following), so
square pixels would be assumed. The elements are put into the finished file in place: the writer reserves room
with a long track name, which is given up for them and for padding; the CRC of the section is renewed.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from pathlib import Path

RESERVED_NAME = "Grevin archive master ............"  # gives up its room: longer than the two elements
HEADER_BYTES = 1 << 16  # the track section lies at the front of what we write

# Element ids of RFC 9559, section 5.
_SEGMENT, _TRACKS, _TRACK_ENTRY, _VIDEO = b"\x18\x53\x80\x67", b"\x16\x54\xae\x6b", b"\xae", b"\xe0"
_NAME, _DISPLAY_WIDTH, _DISPLAY_HEIGHT = b"\x53\x6e", b"\x54\xb0", b"\x54\xba"
_DISPLAY_UNIT = b"\x54\xb2"
_VOID, _CRC = b"\xec", b"\xbf"


def write_display_size(path: Path, width: int, height: int) -> None:
    """Put a display size (in pixels of the display) into a Matroska file written with `RESERVED_NAME`.

    Raises:
        ValueError: if the header has no reserved room.
    """
    with path.open("r+b") as stream:
        header = bytearray(stream.read(HEADER_BYTES))
        start, end = _find(header, (_SEGMENT, _TRACKS))
        entry_start, entry_end = _find(header, (_SEGMENT, _TRACKS, _TRACK_ENTRY))
        header[entry_start:entry_end] = _with_display_size(bytes(header[entry_start:entry_end]), width, height)
        _renew_crc(header, start, end)
        stream.seek(0)
        stream.write(header)


def _with_display_size(entry: bytes, width: int, height: int) -> bytes:
    children = list(_elements(entry, 0, len(entry)))
    sizes = _element(_DISPLAY_WIDTH, width.to_bytes(4, "big")) + _element(_DISPLAY_HEIGHT, height.to_bytes(4, "big"))
    parts = []
    for name, start, data, end in children:
        if name == _NAME:
            continue
        parts.append(_element(_VIDEO, _video_body(entry, data, end) + sizes) if name == _VIDEO else entry[start:end])
    body = b"".join(parts)
    room = len(entry) - len(body)
    if room < 9:
        raise ValueError("no reserved room in the Matroska header")
    return body + _VOID + b"\x01" + (room - 9).to_bytes(7, "big") + bytes(room - 9)


def _video_body(entry: bytes, start: int, end: int) -> bytes:
    """The picture's description without its display unit, which the muxer sets to "unknown" (pixels is the default)."""
    kept = (entry[first:last] for name, first, _, last in _elements(entry, start, end) if name != _DISPLAY_UNIT)
    return b"".join(kept)


def _element(name: bytes, data: bytes) -> bytes:
    return name + (len(data) | 1 << 28).to_bytes(4, "big") + data


def _elements(data: bytes | bytearray, start: int, end: int) -> Iterator[tuple[bytes, int, int, int]]:
    """(id, start, start of data, end) of the elements between two offsets (RFC 8794, sections 4 to 6)."""
    place = start
    while place < end and data[place]:
        id_length = 9 - data[place].bit_length()
        name = bytes(data[place : place + id_length])
        size_at = place + id_length
        size_length = 9 - data[size_at].bit_length()
        mask = (1 << (7 * size_length)) - 1
        size = int.from_bytes(data[size_at : size_at + size_length], "big") & mask
        body = size_at + size_length
        finish = end if size == mask else min(end, body + size)
        yield name, place, body, finish
        place = finish


def _find(data: bytearray, path: tuple[bytes, ...]) -> tuple[int, int]:
    start, end = 0, len(data)
    for wanted in path:
        for name, _, body, finish in _elements(data, start, end):
            if name == wanted:
                start, end = body, finish
                break
        else:
            raise ValueError(f"no element {wanted.hex()} in the Matroska header")
    return start, end


def _renew_crc(header: bytearray, start: int, end: int) -> None:
    """CRC-32 element first in its master, over what follows it, low byte first (RFC 8794, 11.3.1)."""
    name, _, data, finish = next(_elements(header, start, end))
    if name == _CRC:
        header[data:finish] = zlib.crc32(bytes(header[finish:end])).to_bytes(4, "little")
