"""Pictures in the format of a coding: other chroma, Y'CbCr instead of R'G'B', the other range, other primaries."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from grevin.core.media.codings import tags_of
from grevin.core.media.pixel_layout import lossless_layout, pack, unpack
from grevin.core.picture.colour import code_scale, from_rgb, to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Plane
from grevin.core.picture.primaries import in_primaries

Planes = tuple[Plane, ...]


def recoded(frame: Frame, target: PictureFormat) -> Frame:
    """A frame of integer code values in another format of the same size and depth; itself where it is in that.

    Chroma is resampled by the FFmpeg libraries (bicubic; sited as in MPEG-2), field by field where the pictures are
    interlaced and its lines change.
    """
    if frame.format == target:
        return frame
    fmt, planes = frame.format, frame.planes[: frame.format.colour_planes]
    alpha = frame.planes[fmt.colour_planes :] if target.alpha else ()
    fmt, plain = replace(fmt, alpha=False), replace(target, alpha=False)
    if fmt.model != "yuv" or fmt.matrix != plain.matrix or tags_of(fmt)[1] != tags_of(plain)[1]:
        planes, fmt = _other_colours(planes, fmt, plain), replace(plain, chroma="4:4:4")
    elif fmt.full_range != plain.full_range:
        planes = _in_range(planes, fmt, plain)
    if fmt.chroma != plain.chroma:
        planes = _other_chroma(planes, fmt, plain)
    return Frame(frame.number, target, (*planes, *alpha))


def _other_colours(planes: Planes, fmt: PictureFormat, target: PictureFormat) -> Planes:
    """Through R'G'B' into Y'CbCr of another matrix and other primaries, its chroma as fine as its luma."""
    old, new = tags_of(fmt)[1], tags_of(target)[1]
    if fmt.model == "yuv" and fmt.chroma != "4:4:4":
        whole = replace(fmt, chroma="4:4:4")
        planes, fmt = _other_chroma(planes, fmt, whole), whole
    whole = replace(target, chroma="4:4:4")
    blank = Frame(0, whole, tuple(np.zeros(shape, whole.dtype) for shape in whole.plane_shapes()))
    rgb = to_rgb(Frame(0, fmt, planes))
    return from_rgb(blank, rgb if old == new else in_primaries(rgb, old, new)).rounded().planes


def _in_range(planes: Planes, fmt: PictureFormat, target: PictureFormat) -> Planes:
    """Y'CbCr of the full range in the limited one, or the other way."""
    span, offset, chroma_span, chroma_offset = code_scale(fmt)
    new_span, new_offset, new_chroma_span, new_chroma_offset = code_scale(target)
    luma = (planes[0].astype(np.float32) - offset) * (new_span / span) + new_offset
    chroma = (
        (plane.astype(np.float32) - chroma_offset) * (new_chroma_span / chroma_span) + new_chroma_offset
        for plane in planes[1:]
    )
    return tuple(np.clip(np.rint(plane), 0, fmt.max_code).astype(fmt.dtype) for plane in (luma, *chroma))


# The libraries have no deep layout with a fourth of the columns: half the picture's size with the next finer chroma has
# the same chroma planes
_COARSE = {"4:1:1": ("4:2:2", 2, 1), "4:1:0": ("4:2:0", 2, 2)}


def _finer(planes: Planes, fmt: PictureFormat) -> tuple[Planes, PictureFormat]:
    chroma, across, down = _COARSE[fmt.chroma]
    small = replace(fmt, width=-(-fmt.width // across), height=-(-fmt.height // down), chroma=chroma)
    luma = np.zeros((small.height, small.width), fmt.dtype)
    made = _resampled((luma, *planes[1:]), small, replace(small, chroma="4:4:4"))
    return (planes[0], *made[1:]), replace(fmt, chroma=chroma)


def _other_chroma(planes: Planes, fmt: PictureFormat, target: PictureFormat) -> Planes:
    interlaced = fmt.field_order in {"top_first", "bottom_first"} and fmt.chroma_ratio[1] != target.chroma_ratio[1]
    if not interlaced:
        return _resampled(planes, fmt, target)
    made = tuple(np.empty(shape, target.dtype) for shape in target.plane_shapes())
    for parity in (0, 1):
        field = tuple(np.ascontiguousarray(plane[parity::2]) for plane in planes)
        done = _resampled(field, fmt.of_field(parity), target.of_field(parity))
        for plane, lines in zip(made, done, strict=True):
            plane[parity::2] = lines
    return made


def _resampled(planes: Planes, fmt: PictureFormat, target: PictureFormat) -> Planes:
    if fmt.chroma in _COARSE:
        planes, fmt = _finer(planes, fmt)
    if fmt.chroma == target.chroma:
        return planes
    packed = pack(planes, fmt, lossless_layout(fmt))
    other = packed.reformat(format=lossless_layout(target), interpolation="BICUBIC")
    return (planes[0], *unpack(other)[0][1:])
