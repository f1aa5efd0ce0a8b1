"""The two fields of interlaced frames, as pictures of their own."""

from __future__ import annotations

import numpy as np

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame

PARITIES = (0, 1)  # the field of the first line, and that of the second


def parities_in_time(fmt: PictureFormat) -> tuple[int, int]:
    """Which field of a frame was taken first, and which one then."""
    return (0, 1) if fmt.field_order == "top_first" else (1, 0)


def field_of(frame: Frame, parity: int) -> Frame:
    """The lines of one field of a frame that has fields, as a picture of half its height."""
    planes = tuple(np.ascontiguousarray(plane[parity::2]) for plane in frame.planes)
    return Frame(frame.number, frame.format.of_field(parity), planes)
