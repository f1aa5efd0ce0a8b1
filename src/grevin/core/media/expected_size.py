"""How large pictures become when they are coded: some of them are."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import av

from grevin.core.media.codings import Coding, Quality
from grevin.core.media.pixel_layout import lossless_layout, pack
from grevin.core.media.still_writer import as_picture, write_picture
from grevin.core.picture.frame import Frame


def picture_bytes(frames: list[Frame], suffix: str) -> int:
    """Bytes of frames as picture files."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"a{suffix}"
        total = 0
        for frame in frames:
            write_picture(path, as_picture(frame, suffix.lower()))
            total += path.stat().st_size
    return total


def coded_bytes(frames: list[Frame], coding: Coding, quality: Quality) -> int:
    """Bytes of frames that follow each other in a coding, without a container; each in a format that it carries."""
    fmt = frames[0].format
    layout = lossless_layout(fmt)
    encoder: Any = av.CodecContext.create(coding.codec, "w")
    encoder.width, encoder.height, encoder.pix_fmt = fmt.width, fmt.height, layout
    encoder.time_base, encoder.framerate = 1 / fmt.rate, fmt.rate
    encoder.options = coding.options_for(fmt, quality)
    packets = []
    for place, frame in enumerate(frames):
        packed = pack(frame.rounded().planes, fmt, layout)
        packed.pts = place
        packets += encoder.encode(packed)
    return sum(int(packet.size) for packet in (*packets, *encoder.encode(None)))
