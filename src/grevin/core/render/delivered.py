"""Pictures as they leave the house: in the depth, the shape and the format of what they are written in."""

from __future__ import annotations

from grevin.core.media.recoding import recoded
from grevin.core.media.reshaping import reshaped
from grevin.core.picture.depth import in_bits
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.render.request import RunRequest


def delivered_format(fmt: PictureFormat, request: RunRequest) -> PictureFormat:
    """The format in which treated pictures of another one are written.

    Raises:
        OutputError: if the coding cannot carry them, or not in that shape.
    """
    fmt, coding = in_bits(fmt, request.bits), request.video
    return fmt if coding is None else coding.format_of(request.shape.format_of(fmt))


def delivered(frame: Frame, request: RunRequest) -> Frame:
    """A treated frame, in the depth that is written, as it is handed to the coding."""
    coding = request.video
    if coding is None or coding.lossless:
        return frame
    shape = request.shape.format_of(frame.format)
    return recoded(reshaped(frame, shape), coding.format_of(shape))
