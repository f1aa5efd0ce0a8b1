"""Both fields of a frame as whole pictures, by the filter bwdif of the FFmpeg libraries.

bwdif interpolates the missing lines from the fields before and after where the picture stands still, and across the
field where it moves (the W3FDIF filter of BBC R&D, Weston 1988, with the motion test of yadif; FFmpeg's documentation).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import av
import av.filter
import numpy as np

from grevin.core.media.pixel_layout import lossless_layout, pack, unpack
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame

SMALLEST_SIDE = 16  # bwdif refuses planes of less than three lines or columns


def both_fields(frames: Sequence[Frame], top_first: bool) -> tuple[Frame, Frame]:
    """The first and the second field of the middle one of three frames, as pictures of full height.

    Args:
        frames: the frame before, the frame, the frame after; the frame itself where there is no neighbour.
        top_first: which field was taken first.

    Returns:
        Two frames of the same format; the lines of the field itself are untouched.
    """
    fmt = frames[1].format
    if min(fmt.width, fmt.height) < SMALLEST_SIDE:
        first, second = both_fields([_padded(frame) for frame in frames], top_first)
        return _cropped(first, frames[1]), _cropped(second, frames[1])
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


def _padded(frame: Frame) -> Frame:
    """A small picture with its last columns and lines shown on."""
    fmt = frame.format
    wide = replace(fmt, width=max(fmt.width, SMALLEST_SIDE), height=max(fmt.height, SMALLEST_SIDE))
    shapes = zip(frame.planes, wide.plane_shapes(), strict=True)
    planes = (
        np.pad(plane, [(0, one - own) for one, own in zip(shape, plane.shape, strict=True)], mode="edge")
        for plane, shape in shapes
    )
    return replace(frame, format=wide, planes=tuple(planes))


def _cropped(frame: Frame, like: Frame) -> Frame:
    shapes = like.format.plane_shapes()
    planes = tuple(plane[: shape[0], : shape[1]] for plane, shape in zip(frame.planes, shapes, strict=True))
    return replace(frame, format=like.format, planes=planes)


def _graph(fmt: PictureFormat, layout: str, top_first: bool) -> Any:
    graph = av.filter.Graph()
    source = graph.add_buffer(width=fmt.width, height=fmt.height, format=av.VideoFormat(layout), time_base=1 / fmt.rate)
    fields = graph.add("bwdif", f"mode=send_field:parity={'tff' if top_first else 'bff'}:deint=all")
    sink = graph.add("buffersink")
    source.link_to(fields)
    fields.link_to(sink)
    graph.configure()
    return graph
