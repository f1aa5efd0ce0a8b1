"""The missing lines of a field: interpolated, and taken along the motion from the fields just before and after.

Every field is first made a whole picture by bwdif (`media.deinterlacing`). The field before and the one after carry
real samples on just the lines that are missing here; moved along the motion between the whole pictures, and lifted by
what they miss of this field's own lines beside, they join the interpolated ones, each by how far it is likely to be
wrong (`fields.mixing`). Own measurements:
`grevin bench --suite time`.
"""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import cv2
import numpy as np

from grevin.core.media.deinterlacing import both_fields
from grevin.core.motion.flow import Flow, Luma8, MotionQuality, estimate_flow, positions, stretched
from grevin.core.picture.frame import Frame, Plane
from grevin.core.steps.fields.between import Bends, Levels, Seen, bends_of, between, own_noise
from grevin.core.steps.fields.mixing import Mix, mix_of
from grevin.core.steps.seen import Window

PREBLUR_PX = 0.8  # the pictures between which motion is looked for; lines of unequal kind would mislead it


class Whole(NamedTuple):
    """A field made a whole picture.

    Attributes:
        frame: the picture.
        soft: (H, W) uint8 its luma, in which motion is looked for.
    """

    frame: Frame
    soft: Luma8


def whole_fields(window: Window, top_first: bool) -> tuple[Whole, Whole]:
    """Both fields of the middle frame, made once."""

    def make() -> tuple[Whole, Whole]:
        around = [window.frame(offset if window.has(offset) or not offset else 0) for offset in (-1, 0, 1)]
        first, second = both_fields(around, top_first)
        return Whole(first, _soft(first)), Whole(second, _soft(second))

    return window.keep(
        f"fields {top_first}", make, lambda pair: sum(one.frame.nbytes + one.soft.nbytes for one in pair)
    )


def deinterlaced(window: Window, top_first: bool, second: bool, motion: MotionQuality | None) -> Frame:
    """One field of the middle frame as a progressive picture; the field's own lines are untouched.

    Args:
        window: on the frame.
        top_first: which field was taken first.
        second: the one taken second, rather than the first.
        motion: how finely the motion is looked for along which the fields before and after are used; None for neither.
    """
    pair = whole_fields(window, top_first)
    here = pair[1] if second else pair[0]
    if motion is None:
        return replace(here.frame, touched="everything")
    near = [pair[0] if second else pair[1]]
    beyond = 1 if second else -1
    if window.has(beyond):
        other = whole_fields(window.at(beyond), top_first)
        near.append(other[0] if second else other[1])
    missing = int(top_first != second)  # parity of the rows that this field does not have
    return replace(_refined(here, near, missing, motion), touched="everything")


def _refined(field: Whole, near: list[Whole], missing: int, motion: MotionQuality) -> Frame:
    here, luma = field.frame, field.frame.luma8()
    flows = [estimate_flow(field.soft, other.soft, motion) for other in near]
    ways = {shape: [positions(_of_shape(flow, shape)) for flow in flows] for shape in _shapes(here)}
    on_luma = zip(near, ways[luma.shape], strict=True)
    seen = [seen_of(luma, other.frame.luma8(), way, missing) for other, way in on_luma]
    own, known = (luma[parity::2].astype(np.float32) for parity in (missing, 1 - missing))
    noise = own_noise(seen[0].missed, seen[-1].missed)
    bends = bends_of(known, seen, missing, noise)
    lifted = [one.lifted(missing, bends.lift) for one in seen]
    mix = mix_of(own, between(known, missing, len(own), bends.mean), known, seen, lifted, noise)
    shares = {shape: mix.on((len(range(missing, shape[0], 2)), shape[1])) for shape in _shapes(here)}
    made = []
    for index, plane in enumerate(here.planes):
        # colour beside brightness is too soft to tell from it how its lines were made
        own_bends = bends if plane.shape == luma.shape and not (index and here.format.model == "yuv") else Bends()
        moved = lifted if plane is luma else [
            seen_of(plane, other.frame.planes[index], way, missing).lifted(missing, own_bends.lift)
            for other, way in zip(near, ways[plane.shape], strict=True)
        ]  # fmt: skip
        made.append(_mixed(plane, moved, shares[plane.shape], missing, here.format.max_code, own_bends.mean))
    return replace(here, planes=tuple(made))


def _shapes(frame: Frame) -> set[tuple[int, ...]]:
    return {plane.shape for plane in frame.planes}


def _soft(frame: Frame) -> Luma8:
    return np.asarray(cv2.GaussianBlur(frame.luma8(), (0, 0), PREBLUR_PX), np.uint8)


def _of_shape(flow: Flow, shape: tuple[int, ...]) -> Flow:
    """The motion on a plane of some shape."""
    if flow.shape[:2] == shape:
        return flow
    height, width = shape
    share = np.array([width / flow.shape[1], height / flow.shape[0]], np.float32)
    small = cv2.resize(flow, (width, height), interpolation=cv2.INTER_AREA)
    return stretched(np.asarray(small, np.float32), share)


def seen_of(plane: Plane, other: Plane, way: tuple[Flow, Flow], missing: int) -> Seen:
    """Another field's plane moved onto one of this field; `way` leads there (`positions`)."""
    wide = np.asarray(other, np.float32)
    moved = cv2.remap(wide, *way, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    missed = np.asarray(plane[1 - missing :: 2] - moved[1 - missing :: 2], np.float32)
    return Seen(np.asarray(moved[missing::2], np.float32), missed)


def _mixed(plane: Plane, moved: list[Levels], shares: Mix, missing: int, limit: int, bend: float) -> Plane:
    """The plane with its missing rows made of the candidates, by shares on its own grid."""
    rows = plane[missing::2].astype(np.float32)
    mean = between(plane[1 - missing :: 2].astype(np.float32), missing, len(rows), bend)
    total = np.zeros_like(rows)
    for one, share in zip((rows, mean, *moved), (shares.filtered, shares.mean, *shares.moved), strict=True):
        cv2.accumulateProduct(one, share, total)
    result = plane.copy()
    result[missing::2] = np.clip(np.rint(total), 0, limit).astype(plane.dtype)
    return result
