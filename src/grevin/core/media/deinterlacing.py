"""Both fields of a frame as whole pictures, by the filter bwdif of the FFmpeg libraries.

bwdif interpolates the missing lines from the fields before and after where the picture stands still, and across the
field where it moves (the W3FDIF filter of BBC R&D, Weston 1988, with the motion test of yadif; FFmpeg's documentation).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import av
import av.filter

from grevin.core.media.pixel_layout import lossless_layout, pack, unpack
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame


def both_fields(frames: Sequence[Frame], top_first: bool) -> tuple[Frame, Frame]:
    """The first and the second field of the middle one of three frames, as pictures of full height.

    Args:
        frames: the frame before, the frame, the frame after; the frame itself where there is no neighbour.
        top_first: which field was taken first.

    Returns:
        Two frames of the same format; the lines of the field itself are untouched.
    """
    fmt = frames[1].format
    layout = "gbrp" if fmt.model == "rgb" and fmt.bit_depth == 8 else lossless_layout(fmt)  # planes, as it wants them
    graph = _graph(fmt, layout, top_first)
    for place, frame in enumerate(frames):
        packed = pack(frame.rounded().planes, fmt, layout)
        packed.pts = place
        graph.push(packed)
    graph.push(None)
    made: list[Any] = []
    while len(made) < 4:  # two fields of the frame before come first
        made.append(graph.pull())
    pictures = (Frame(frames[1].number, fmt, unpack(picture)[0]) for picture in made[2:4])
    first, second = pictures
    return first, second


def _graph(fmt: PictureFormat, layout: str, top_first: bool) -> Any:
    graph = av.filter.Graph()
    source = graph.add_buffer(width=fmt.width, height=fmt.height, format=av.VideoFormat(layout), time_base=1 / fmt.rate)
    fields = graph.add("bwdif", f"mode=send_field:parity={'tff' if top_first else 'bff'}:deint=all")
    sink = graph.add("buffersink")
    source.link_to(fields)
    fields.link_to(sink)
    graph.configure()
    return graph
