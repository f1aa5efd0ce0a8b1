"""A picture sampled anew through an affine map: each plane in its own raster, the fields of interlaced frames apart."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import code_scale, grey_scale
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Plane

Map = npt.NDArray[np.float64]  # (2, 3): where in the old picture a pixel of the new one lies, (x, y) of pixel middles
FloatPlane = npt.NDArray[np.float32]

OUTSIDE_PX = 0.51  # beyond the middle of the last pixel nothing was seen any more
SOFTENING = 0.5  # standard deviation of the low-pass, in new pixels: common practice against aliasing


def black(fmt: PictureFormat) -> tuple[float, ...]:
    """Code value of each plane where there is no picture: black, and alpha for nothing."""
    if fmt.model == "yuv":
        _, luma, _, chroma = code_scale(fmt)
        colour: tuple[float, ...] = (luma, chroma, chroma)
    else:
        colour = (0.0 if fmt.sample == "half" else grey_scale(fmt)[1],) * fmt.colour_planes
    return (*colour, 0.0) if fmt.alpha else colour


def each_field(fmt: PictureFormat) -> tuple[int | None, ...]:
    """The fields that have to be treated apart; (None,) for whole frames."""
    return (0, 1) if fmt.has_fields else (None,)


def sampled(frame: Frame, fmt: PictureFormat, where: Map) -> Frame:
    """A frame of another format, its planes float32 code values, looked up once in the old one (Lanczos over 8 x 8).

    Args:
        frame: the old picture.
        fmt: of the new one; of the same planes, and of two whole fields where the old one is.
        where: for pixels of the new frame where they lie in the old one.
    """
    old = frame.format
    fields = each_field(old)
    planes = []
    for plane, shape, full, empty in zip(frame.planes, fmt.plane_shapes(), _is_full(fmt), black(fmt), strict=True):
        ratio = (1, 1) if full else fmt.chroma_ratio
        new = np.empty(shape, np.float32)
        for field in fields:
            own = where if field is None else _of_field(where, field)
            own = _of_plane(own, ratio)
            part = plane if field is None else plane[field::2]
            target = new if field is None else new[field::2]
            target[...] = _looked_up(np.ascontiguousarray(part), target.shape, own, empty)
        planes.append(new)
    return Frame(frame.number, fmt, tuple(planes), "everything")


def _is_full(fmt: PictureFormat) -> tuple[bool, ...]:
    """Which planes have the raster of luma."""
    return tuple(not (fmt.model == "yuv" and place in {1, 2}) for place in range(len(fmt.plane_shapes())))


def _of_plane(where: Map, ratio: tuple[int, int]) -> Map:
    """The map for a plane of so many times fewer samples, whose middles lie in the middles of their blocks."""
    across, down = ratio
    scale = np.array([across, down], np.float64)
    offset = (scale - 1) / 2
    inner = where[:, :2] * scale[None, :] / scale[:, None]
    shift = (where[:, :2] @ offset + where[:, 2] - offset) / scale
    return np.column_stack([inner, shift])


def _of_field(where: Map, field: int) -> Map:
    """The map between fields: line j of one is line 2 j + field of its frame."""
    to_frame = np.array([[1.0, 0, 0], [0, 2.0, field], [0, 0, 1.0]])
    whole = np.vstack([where, [0, 0, 1.0]])
    return np.asarray((np.linalg.inv(to_frame) @ whole @ to_frame)[:2])


def _looked_up(plane: Plane, shape: tuple[int, ...], where: Map, empty: float) -> FloatPlane:
    size = (shape[1], shape[0])
    values = plane.astype(np.float32)
    shrink = np.linalg.norm(where[:, :2], axis=1)  # old pixels a new one covers, across and down
    sigma = SOFTENING * np.sqrt(np.maximum(np.square(shrink) - 1, 0))
    if sigma.max() > 0:
        values = np.asarray(
            cv2.GaussianBlur(values, (0, 0), max(float(sigma[0]), 1e-3), sigmaY=max(float(sigma[1]), 1e-3))
        )
    flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
    found = cv2.warpAffine(values, where, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    outside = _outside(plane.shape, shape, where)
    if outside is not None:
        found[outside] = empty
    return np.asarray(found, np.float32)


def _outside(old: tuple[int, ...], new: tuple[int, ...], where: Map) -> npt.NDArray[np.bool_] | None:
    """(H, W) bool, pixels of the new plane that show nothing of the old one; None for none."""
    right, low = new[1] - 1, new[0] - 1
    corners = where @ np.array([[0, right, 0, right], [0, 0, low, low], [1, 1, 1, 1]], np.float64)
    if corners.min() >= -OUTSIDE_PX and bool(
        (corners.max(axis=1) <= np.array([old[1], old[0]]) - 1 + OUTSIDE_PX).all()
    ):
        return None
    x, y = np.meshgrid(np.arange(new[1]), np.arange(new[0]))
    places = np.einsum("ij,jhw->ihw", where, np.stack([x, y, np.ones_like(x)]).astype(np.float64))
    seen = (places[0] > -OUTSIDE_PX) & (places[0] < old[1] - 1 + OUTSIDE_PX)
    return np.asarray(~(seen & (places[1] > -OUTSIDE_PX) & (places[1] < old[0] - 1 + OUTSIDE_PX)))


def plane_by_plane(frame: Frame, make: Callable[[FloatPlane, int], FloatPlane]) -> tuple[FloatPlane, ...]:
    """Each plane made anew from its float32 values and its place; fields apart where the frame has them."""
    made = []
    for place, plane in enumerate(frame.planes):
        parts = [
            make(np.ascontiguousarray(plane if field is None else plane[field::2]).astype(np.float32), place)
            for field in each_field(frame.format)
        ]
        if len(parts) == 1:
            made.append(parts[0])
            continue
        whole = np.empty((sum(part.shape[0] for part in parts), parts[0].shape[1]), np.float32)
        whole[0::2], whole[1::2] = parts
        made.append(whole)
    return tuple(made)
