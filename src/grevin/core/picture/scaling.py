"""A whole picture at another size, every plane interpolated plainly."""

from __future__ import annotations

import numpy as np

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Geometry
from grevin.core.picture.resampling import KERNELS, Kernel, places_between, resampled

EDGE_PX = (
    0.75  # by which the corners of a picture may lie beside those of the whole: a size is rounded to whole samples
)


def scaled(frame: Frame, fmt: PictureFormat, kernel: Kernel = KERNELS["lanczos"]) -> Frame:
    """The picture in another size; planes are float32 code values.

    Colour that is coarser along lines lies on the left of its pixels, but in JPEG's full range in their middle: the
    sites that MPEG-2 and, by default, H.264 give (ITU-T H.264, figure E-1, type 0).

    Args:
        frame: of the same planes as `fmt`.
        fmt: of the result.
        kernel: of the interpolation.
    """
    old = frame.format
    made = []
    for place, (plane, shape) in enumerate(zip(frame.planes, fmt.plane_shapes(), strict=True)):
        left = old.model == "yuv" and place in {1, 2} and old.chroma_ratio[0] > 1 and not old.full_range
        inset = 0.5 / old.chroma_ratio[0] if left else 0.5
        down = places_between(plane.shape[0], shape[0])
        across = places_between(plane.shape[1], shape[1], inset)
        made.append(resampled(np.asarray(plane, np.float32), down, across, kernel))
    return Frame(frame.number, fmt, tuple(made), "everything")


def shows_all_of(geometry: Geometry, new: PictureFormat, old: PictureFormat) -> bool:
    """Whether a picture shows all of another one, at another size and no other place."""
    back = geometry.back
    corners = back @ np.array([[-0.5, new.width - 0.5], [-0.5, new.height - 0.5], [1.0, 1.0]])
    whole = np.array([[-0.5, old.width - 0.5], [-0.5, old.height - 0.5]])
    return bool(abs(back[0, 1]) + abs(back[1, 0]) < 1e-9 and np.abs(corners - whole).max() <= EDGE_PX)
