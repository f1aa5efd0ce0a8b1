"""Pictures as they leave the house: in the depth, the shape and the format of what they are written in."""

from __future__ import annotations

from dataclasses import replace

from grevin.core.media.codings import Coding
from grevin.core.media.recoding import recoded
from grevin.core.media.reshaping import reshaped
from grevin.core.picture.depth import in_bits, in_depth
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.render.request import RunRequest


def delivered_format(fmt: PictureFormat, request: RunRequest) -> PictureFormat:
    """The format in which treated pictures of another one are written.

    Raises:
        OutputError: if the coding cannot carry them, or not in that shape.
    """
    fmt, coding = in_bits(fmt, request.bits), request.video
    return fmt if coding is None else _coded_format(request.shape.format_of(fmt), coding, request)


def without_fields(request: RunRequest) -> RunRequest:
    """A request for whole frames."""
    return replace(request, shape=request.shape.of_whole_frames())


def as_whole_frame(frame: Frame, request: RunRequest) -> Frame:
    """A frame in any depth as it would be written if it had no fields."""
    frame = in_depth(frame, request.bits, request.dither)
    whole = replace(frame, format=replace(frame.format, field_order="progressive"))
    return delivered(whole, without_fields(request))


def delivered(frame: Frame, request: RunRequest) -> Frame:
    """A treated frame, in the depth that is written, as it is handed to the coding."""
    coding = request.video
    if coding is None or coding.lossless:
        return frame
    shape = request.shape.format_of(frame.format)
    return recoded(reshaped(frame, shape), _coded_format(shape, coding, request))


def _coded_format(shape: PictureFormat, coding: Coding, request: RunRequest) -> PictureFormat:
    return coding.format_of(shape, request.shape.chroma, request.shape.levels)
