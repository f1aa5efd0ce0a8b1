"""The missing lines of a field: interpolated, and taken along the motion from the fields just before and after.

Every field is first made a whole picture by bwdif (`media.deinterlacing`). The field before and the one after carry
real samples on just the lines that are missing here; moved along the motion between the whole pictures, and lifted by
what they miss of this field's own lines beside, they join the interpolated ones, each by how far it is likely to be
wrong (`fields.mixing`). Own measurements:
`grevin bench --suite time`.
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from grevin.core.media.deinterlacing import both_fields
from grevin.core.motion.flow import Flow, Luma8, MotionQuality, estimate_flow, positions
from grevin.core.picture.frame import Frame, Plane
from grevin.core.steps.fields.between import Bends, Levels, Seen, bends_of, between, own_noise
from grevin.core.steps.fields.mixing import Mix, mix_of
from grevin.core.steps.seen import Window

PREBLUR_PX = 0.8  # the pictures between which motion is looked for; lines of unequal kind would mislead it


def whole_fields(window: Window, top_first: bool) -> tuple[Frame, Frame]:
    """Both fields of the middle frame as whole pictures, made once."""

    def make() -> tuple[Frame, Frame]:
        around = [window.frame(offset if window.has(offset) or not offset else 0) for offset in (-1, 0, 1)]
        return both_fields(around, top_first)

    return window.keep(f"fields {top_first}", make, lambda pair: pair[0].nbytes + pair[1].nbytes)


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
        return replace(here, touched="everything")
    near: list[Frame] = [pair[0] if second else pair[1]]
    beyond = 1 if second else -1
    if window.has(beyond):
        other = whole_fields(window.at(beyond), top_first)
        near.append(other[0] if second else other[1])
    missing = int(top_first != second)  # parity of the rows that this field does not have
    return replace(_refined(here, near, missing, motion), touched="everything")


def _refined(here: Frame, near: list[Frame], missing: int, motion: MotionQuality) -> Frame:
    soft = _soft(here)
    flows = [estimate_flow(soft, _soft(other), motion) for other in near]
    luma = here.luma8()
    seen = [seen_of(luma, other.luma8(), flow, missing) for other, flow in zip(near, flows, strict=True)]
    own, known = (luma[parity::2].astype(np.float32) for parity in (missing, 1 - missing))
    noise = own_noise(seen[0].missed, seen[-1].missed)
    bends = bends_of(known, seen, missing, noise)
    lifted = [one.lifted(missing, bends.lift) for one in seen]
    mix = mix_of(own, between(known, missing, len(own), bends.mean), known, seen, lifted, noise)
    shaped = {shape: [_of_shape(flow, shape) for flow in flows] for shape in {plane.shape for plane in here.planes}}
    made = []
    for index, plane in enumerate(here.planes):
        # colour beside brightness is too soft to tell from it how its lines were made
        own_bends = bends if plane.shape == luma.shape and not (index and here.format.model == "yuv") else Bends()
        moved = lifted if plane is luma else [
            seen_of(plane, other.planes[index], flow, missing).lifted(missing, own_bends.lift)
            for other, flow in zip(near, shaped[plane.shape], strict=True)
        ]  # fmt: skip
        made.append(_mixed(plane, moved, mix, missing, here.format.max_code, own_bends.mean))
    return replace(here, planes=tuple(made))


def _soft(frame: Frame) -> Luma8:
    return np.asarray(cv2.GaussianBlur(frame.luma8(), (0, 0), PREBLUR_PX), np.uint8)


def _of_shape(flow: Flow, shape: tuple[int, ...]) -> Flow:
    """The motion on a plane of some shape."""
    if flow.shape[:2] == shape:
        return flow
    height, width = shape
    share = np.array([width / flow.shape[1], height / flow.shape[0]], np.float32)
    return np.asarray(cv2.resize(flow, (width, height), interpolation=cv2.INTER_AREA) * share, np.float32)


def seen_of(plane: Plane, other: Plane, flow: Flow, missing: int) -> Seen:
    """Another field's plane moved onto one of this field."""
    wide = np.asarray(other, np.float32)
    moved = cv2.remap(wide, *positions(flow), cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    missed = np.asarray(plane[1 - missing :: 2] - moved[1 - missing :: 2], np.float32)
    return Seen(np.asarray(moved[missing::2], np.float32), missed)


def _mixed(plane: Plane, moved: list[Levels], mix: Mix, missing: int, limit: int, bend: float) -> Plane:
    """The plane with its missing rows made of the candidates."""
    rows = plane[missing::2].astype(np.float32)
    mean = between(plane[1 - missing :: 2].astype(np.float32), missing, len(rows), bend)
    total = np.zeros_like(rows)
    for one, share in zip((rows, mean, *moved), (mix.filtered, mix.mean, *mix.moved), strict=True):
        cv2.accumulateProduct(one, cv2.resize(share, rows.shape[::-1], interpolation=cv2.INTER_LINEAR), total)
    result = plane.copy()
    result[missing::2] = np.clip(np.rint(total), 0, limit).astype(plane.dtype)
    return result
