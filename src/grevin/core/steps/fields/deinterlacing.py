"""The missing lines of a field: interpolated, and taken along the motion from the fields just before and after.

Every field is first made a whole picture by bwdif (`media.deinterlacing`). The field before and the one after carry
real samples on just the lines that are missing here; moved along the motion between the whole pictures they join
the interpolated ones, each by how far it is likely to be wrong (`fields.mixing`). Own measurements:
`grevin bench --suite time`.
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from grevin.core.media.deinterlacing import both_fields
from grevin.core.motion.flow import Flow, Luma8, MotionQuality, estimate_flow, positions
from grevin.core.picture.frame import Frame, Plane
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
    soft, others = _soft(here), [_soft(other) for other in near]
    flows = [estimate_flow(soft, other, motion) for other in others]
    misfits = [_misfit(soft, other, flow) for other, flow in zip(others, flows, strict=True)]
    luma = here.luma8()
    moved = [_taken(other.luma8(), flow, missing) for other, flow in zip(near, flows, strict=True)]
    own = luma[missing::2].astype(np.float32)
    mix = mix_of(own, _mean_beside(luma, missing), luma[1 - missing :: 2].astype(np.float32), moved, misfits)
    shaped = {shape: [_of_shape(flow, shape) for flow in flows] for shape in {plane.shape for plane in here.planes}}
    planes = tuple(
        _mixed(plane, [other.planes[index] for other in near], shaped[plane.shape], mix, missing, here.format.max_code)
        for index, plane in enumerate(here.planes)
    )
    return replace(here, planes=planes)


def _soft(frame: Frame) -> Luma8:
    return np.asarray(cv2.GaussianBlur(frame.luma8(), (0, 0), PREBLUR_PX), np.uint8)


def _misfit(here: Luma8, there: Luma8, flow: Flow) -> Flow:
    """(H, W) float32 8-bit levels that a motion leaves unexplained between softened pictures, which lack no line."""
    moved = cv2.remap(there, *positions(flow), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(cv2.absdiff(here, moved), np.float32)


def _mean_beside(plane: Plane, missing: int) -> Flow:
    """(h, W) float32: for each missing row the mean of the rows above and below it."""
    known = plane[1 - missing :: 2].astype(np.float32)
    rows = len(plane[missing::2])
    padded = cv2.copyMakeBorder(known, 1, 1, 0, 0, cv2.BORDER_REPLICATE)
    first = 1 if missing else 0
    return np.asarray(cv2.addWeighted(padded[first : first + rows], 0.5, padded[first + 1 : first + 1 + rows], 0.5, 0))


def _of_shape(flow: Flow, shape: tuple[int, ...]) -> Flow:
    """The motion on a plane of some shape."""
    if flow.shape[:2] == shape:
        return flow
    height, width = shape
    share = np.array([width / flow.shape[1], height / flow.shape[0]], np.float32)
    return np.asarray(cv2.resize(flow, (width, height), interpolation=cv2.INTER_AREA) * share, np.float32)


def _taken(other: Plane, flow: Flow, missing: int) -> Flow:
    """(h, W) float32: another field's plane moved onto the missing rows."""
    across, down = (np.ascontiguousarray(grid[missing::2]) for grid in positions(flow))
    wide = np.asarray(other, np.float32)
    return np.asarray(cv2.remap(wide, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE), np.float32)


def _mixed(plane: Plane, others: list[Plane], flows: list[Flow], mix: Mix, missing: int, limit: int) -> Plane:
    """The plane with its missing rows made of the candidates."""
    rows = plane[missing::2].astype(np.float32)
    candidates = [rows, _mean_beside(plane, missing)]
    candidates += [_taken(other, flow, missing) for other, flow in zip(others, flows, strict=True)]
    total = np.zeros_like(rows)
    for one, share in zip(candidates, (mix.filtered, mix.mean, *mix.moved), strict=True):
        cv2.accumulateProduct(one, cv2.resize(share, rows.shape[::-1], interpolation=cv2.INTER_LINEAR), total)
    result = plane.copy()
    result[missing::2] = np.clip(np.rint(total), 0, limit).astype(plane.dtype)
    return result
