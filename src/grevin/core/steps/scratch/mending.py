"""Mending a scratch: what is left under it kept where something is, else what other frames show, else its flanks.

A shallow scratch adds something to the picture, evenly along its way: that is measured in the scratch's own
coordinates, channel by channel, and taken off, and the picture's detail and grain stay. Where the picture moves, the
frames around show what lies under it, and are believed as far as they show its flanks. Where nothing is left under it
and no frame shows it, the flanks are joined.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt
from scipy.ndimage import gaussian_filter1d, median_filter

from grevin.core.motion.flow import Flow
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.spreading import inpainted
from grevin.core.steps.scratch.lines import Line, deviations, sampled

AROUND_PX, INPAINT_PX = 6, 3.0  # beside it, of which what is continued into it is made, and its radius
FLANK_PX = 2  # on either side, of which the joined picture is made
MOST_DEPTH = 2.0  # times the usual depth of a scratch, that it may have anywhere
ALONG_ROWS, SMOOTH_ROWS = 45, 6.0  # over which the depth is a median, and then a mean
CORE_PX = 1  # on either side of its middle
TEXTURE_ROWS = 9  # over which what is even is taken off, to see texture
APART_SHARE = 0.1  # of what the flanks differ by, that is not known between them
OFF_BY = 0.08  # of its depth: so well is it known, measured on open clips
OPAQUE = 0.45  # of the flanks' texture: less of it under a scratch, and nothing is left there
MOSTLY = 0.5  # of its rows: on rule clips shallow ones mostly stay below .3, those down to the base above .6
CLIPPED = 0.985  # of white: nothing is left above
SEEN_LEVELS = 5.0 / 255  # by which the flanks may differ on another frame that shows the same
SEEN_ROWS = 21

Values = npt.NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Other:
    """A frame that may show what lies under a scratch.

    Attributes:
        rgb: (H, W, 3) R'G'B'.
        flow: to it.
        mask: (H, W) bool, its own scratches.
    """

    rgb: Rgb
    flow: Flow
    mask: Mask


@dataclass(frozen=True)
class Mended:
    """How a scratch was mended.

    Attributes:
        opaque: share of its rows under which nothing was left.
        from_others: share of what was put there that other frames show.
    """

    opaque: float
    from_others: float


def mend_line(picture: Rgb, line: Line, reach: tuple[int, int], others: Callable[[], list[Other]]) -> Mended:
    """Mend one scratch in a picture, (H, W, 3) float32 R'G'B', in place.

    Args:
        picture: what is mended.
        line: where.
        reach: px to which it reaches to the left and to the right of its middle.
        others: frames around, asked for where nothing is left under it.
    """
    left, right = reach
    middle = np.rint(line.centre).astype(int)
    offsets = np.arange(-left - FLANK_PX, right + FLANK_PX + 1)
    at = np.clip(middle[:, None] + offsets[None, :], 0, picture.shape[1] - 1)
    rows = line.rows[:, None]
    values = picture[rows, at].astype(np.float32)
    inner = (offsets >= -left) & (offsets <= right)
    joined = _continued(picture, line.top, at, inner)
    added = _profile(picture, line, reach, at)
    under = values - added
    core = np.abs(offsets) <= CORE_PX
    opaque = _opaque(values, core, under, inner)[:, None] | _too_deep(added, values, inner)
    mended = np.where(opaque[:, None], joined, under)
    joined_share = np.ones(at.shape, np.float32)
    for other in others() if opaque.any() else []:
        theirs, seen = _theirs(other, values, rows, at, inner)
        joined_share *= 1 - seen[..., 0]
        seen = seen * opaque[:, None]
        mended = seen * theirs + (1 - seen) * mended
    picture[np.broadcast_to(rows, at.shape)[:, inner], at[:, inner]] = np.clip(mended[:, inner], 0.0, 1.0)
    hides = opaque.any(axis=1)
    hidden = joined_share[hides][:, inner]
    return Mended(float(hides.mean()), 1.0 - float(hidden.mean()) if hidden.size else 0.0)


def _continued(picture: Rgb, top: int, at: npt.NDArray[np.int64], inner: npt.NDArray[np.bool_]) -> Values:
    """(N, M, 3) what lies beside the scratch continued into it, at some places of its rows."""
    left, right = max(0, int(at.min()) - AROUND_PX), int(at.max()) + 1 + AROUND_PX
    box = picture[top : top + len(at), left:right]
    rows = np.arange(len(at))[:, None]
    hole = np.zeros(box.shape[:2], np.bool_)
    hole[np.broadcast_to(rows, at.shape)[:, inner], at[:, inner] - left] = True
    return np.asarray(inpainted(box, hole, INPAINT_PX)[rows, at - left], np.float32)


def _profile(picture: Rgb, line: Line, reach: tuple[int, int], at: npt.NDArray[np.int64]) -> Values:
    """(N, M, 3) what the scratch adds at some places of its rows: of one shape, its depth even along its way."""
    far = max(reach) + 1
    side = far + FLANK_PX
    deviation = deviations(sampled(picture, line, side), far)
    offsets = np.arange(-side, side + 1)
    shape = np.median(deviation, axis=0)  # the same all along: what is upright in the picture is so only in part of it
    shape[(offsets < -reach[0] - 1) | (offsets > reach[1] + 1)] = 0.0
    depth = (deviation * shape).sum(axis=(1, 2)) / max(1e-9, float(np.square(shape).sum()))
    smooth = np.asarray(_steady(depth)[:, None, None] * shape, np.float32)
    places = (at - line.centre[:, None] + side).astype(np.float32)
    down = np.broadcast_to(np.arange(len(at))[:, None], at.shape).astype(np.float32)
    return np.asarray(cv2.remap(smooth, places, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE), np.float32)


def _steady(depth: Values) -> Values:
    """(N,) depths without what the picture adds to them."""
    calm = median_filter(depth, size=min(ALONG_ROWS, len(depth)) | 1, mode="nearest")
    return np.asarray(np.clip(gaussian_filter1d(calm, SMOOTH_ROWS, mode="nearest"), 0.0, MOST_DEPTH), np.float32)


def _too_deep(added: Values, values: Values, inner: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """(N, 3) rows and channels in which the depth is not known as well as the flanks tell what lies between them."""
    depth = np.abs(added).max(axis=1)
    around = gaussian_filter1d(_rough(values[:, ~inner]).std(axis=1), TEXTURE_ROWS, axis=0, mode="nearest")
    first = int(np.argmax(inner))
    apart = np.abs(values[:, :first].mean(axis=1) - values[:, -first:].mean(axis=1))
    return np.asarray(OFF_BY * depth > around + APART_SHARE * apart)


def _opaque(
    values: Values, core: npt.NDArray[np.bool_], under: Values, inner: npt.NDArray[np.bool_]
) -> npt.NDArray[np.bool_]:  # fmt: skip
    """(N,) rows in which nothing of the picture is left in the middle of the scratch.

    What cuts through to the base does so all along: where most rows say so, the others are believed to be so too.
    """
    texture = np.minimum(_rough(under[:, core]).std(axis=(1, 2)), _rough(values[:, core]).std(axis=(1, 2)))
    around = _rough(values[:, ~inner]).std(axis=(1, 2))
    slow = [gaussian_filter1d(one, TEXTURE_ROWS, mode="nearest") for one in (texture, around)]
    clipped = gaussian_filter1d((values[:, core].min(axis=2) > CLIPPED).mean(axis=1), TEXTURE_ROWS, mode="nearest")
    opaque = (slow[0] < OPAQUE * slow[1]) | (clipped > OPAQUE)
    return np.ones_like(opaque) if opaque.mean() > MOSTLY else np.asarray(opaque)


def _rough(values: Values) -> Values:
    """Without what is even down the rows."""
    return np.asarray(values - cv2.blur(values.reshape(len(values), -1), (1, TEXTURE_ROWS)).reshape(values.shape))


def _theirs(
    other: Other, values: Values, rows: npt.NDArray[np.int64], at: npt.NDArray[np.int64], inner: npt.NDArray[np.bool_]
) -> tuple[Values, Values]:
    """What another frame shows there, and (N, M, 1) 0..1 how far it is believed."""
    flow = other.flow[rows, at]
    across = np.ascontiguousarray(at + flow[..., 0], np.float32)
    down = np.ascontiguousarray(rows + flow[..., 1], np.float32)
    theirs = cv2.remap(other.rgb, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    hidden = cv2.remap(
        other.mask.view(np.uint8), across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=1
    )
    apart = np.square(theirs - values).mean(axis=2)
    flanks = ~inner[None, :] & (hidden == 0)
    error = cv2.blur((apart * flanks).sum(axis=1, keepdims=True).astype(np.float32), (1, SEEN_ROWS))
    count = cv2.blur(flanks.sum(axis=1, keepdims=True).astype(np.float32), (1, SEEN_ROWS))
    usual = np.sqrt(error[:, 0] / np.maximum(count[:, 0], 1e-3))
    believed = np.clip(2.0 - usual / SEEN_LEVELS, 0.0, 1.0) * (count[:, 0] > 1.0)
    return np.asarray(theirs, np.float32), np.asarray((believed[:, None] * (hidden == 0))[..., None], np.float32)
