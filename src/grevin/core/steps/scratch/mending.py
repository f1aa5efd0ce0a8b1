"""Mending a scratch: what is left under it kept where something is, else what other frames show, else its flanks.

A shallow scratch adds something to the picture, evenly along its way: that is measured in the scratch's own
coordinates, channel by channel, and taken off, and the picture's detail and grain stay. How much the picture disturbs
that is told beside it: where it does, the scratch is as deep as elsewhere. Where picture or scratch moves, the frames
around show what lies under it, as far as they show its flanks: what goes beyond that is the scratch, and
what is left is averaged with it by how far either is off. Where nothing is left under it and no frame shows it, the
flanks are joined.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

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
PIECES = 8  # of a scratch, whose profiles are compared
MOST_DEPTH = 2.0  # times the usual depth of a scratch, that it may have anywhere
ALONG_ROWS, SMOOTH_ROWS = 45, 6.0  # over which the depth is a median, and then a mean
FADES, LEAST_FADES = 0.3, 0.05  # by which its depth departs from the usual: share of that, and at least; .2 does alike
BESIDE_PX = 40  # on either side, where what the picture has of it is told; 24 do alike
USUAL_PASSES = 4  # of finding the usual depth, by weights that depend on it
CORE_PX = 1  # on either side of its middle
TEXTURE_ROWS = 9  # over which what is even is taken off, to see texture
APART_SHARE = 12**-0.5  # of what the flanks differ by: the rms error of a ramp for an edge anywhere between them
OFF_BY = 0.08  # of its depth: so well is it known, measured on open clips
OPAQUE = 0.45  # of the flanks' texture: less of it under a scratch, and nothing is left there
MOSTLY = 0.5  # of its rows: on rule clips shallow ones mostly stay below .3, those down to the base above .6
# Slope of a scratch's middle over its flanks: below nothing is left of the picture, surely above some of it is in every
# row; and the least deviation of flanks that tells. On rule clips those scraped off whole have .05 to .6, others .6 to
# 1.2.
SHINES_THROUGH, LEAST_SPREAD = 0.5, 8.0 / 255
SURELY = 2.0  # standard errors
RIM_SHARE = 0.08  # of what it covers in its middle: where it covers less the picture is seen; .05 to .15 do alike
CLIPPED = 0.985  # of white: nothing is left above
SEEN_LEVELS = 5.0 / 255  # by which the flanks may differ on another frame that shows the same
SEEN_SHARE = 0.4  # of their own texture: who fits a rich texture so well shows what is there
PLAIN_ROWS = 0.2  # of its rows: the plainest ones tell the noise
NOISE_TIMES = 1.4 * 1.3  # that two frames differ by, and room for a little motion
SEEN_ROWS = 21
ENOUGH = 0.25  # of the rows, from which on those that other frames show tell the shape of a scratch
NEAR_ROWS = 15  # over which the depth is a median where they do
LEAST_LEVELS = 1.0 / 255  # by which two frames differ in any case
AGREEING_ROWS = 9
LITTLE = 0.25  # share of what is left in the mean, below which nothing to speak of is left

Values = npt.NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Other:
    """A frame that may show what lies under a scratch.

    Attributes:
        rgb: (H, W, 3) R'G'B'.
        flow: to it.
        mask: (H, W) bool, its own scratches, whose rims hide it too.
    """

    rgb: Rgb
    flow: Flow
    mask: Mask


@dataclass(frozen=True, eq=False)
class Shown:
    """What other frames show at the places of a scratch and its flanks.

    Attributes:
        values: (N, M, 3) R'G'B'.
        seen: (N, M, 1) 0..1, how far it is believed.
        usual: (N,) rms by which the flanks differ there.
    """

    values: Values
    seen: Values
    usual: Values


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
        others: frames around.
    """
    left, right = reach
    middle = np.rint(line.centre).astype(int)
    offsets = np.arange(-left - FLANK_PX, right + FLANK_PX + 1)
    at = np.clip(middle[:, None] + offsets[None, :], 0, picture.shape[1] - 1)
    rows = line.rows[:, None]
    values = picture[rows, at].astype(np.float32)
    inner = (offsets >= -left) & (offsets <= right)
    shown = _shown(others(), values, rows, at, inner)
    added, cover = _profile(picture, line, reach, at, shown)
    under = values - added
    core = np.abs(offsets) <= CORE_PX
    opaque, deep = _opaque(values, core, under, inner), _too_deep(added, values, inner)
    covered = np.asarray(opaque[:, None] & (cover > RIM_SHARE))
    hidden = np.asarray(inner[None, :, None] & (deep[:, None] | covered[..., None]))
    mended = _joined(picture, line.top, at, np.where(inner[None, :, None], under, values), hidden)
    kept = _kept(under, added, shown)
    mended = shown.seen * (kept * under + (1 - kept) * shown.values) + (1 - shown.seen) * mended
    picture[np.broadcast_to(rows, at.shape)[:, inner], at[:, inner]] = np.clip(mended[:, inner], 0.0, 1.0)
    seen = shown.seen[:, inner, 0].mean(axis=1)
    theirs = seen * (kept[:, 0, 0] < LITTLE)
    gone = theirs + (1 - seen) * hidden.any(axis=(1, 2))
    return Mended(float(gone.mean()), float(theirs.sum() / max(1e-9, gone.sum())))


def _joined(
    picture: Rgb, top: int, at: npt.NDArray[np.int64], left_over: Values, hidden: npt.NDArray[np.bool_]
) -> Values:  # fmt: skip
    """(N, M, 3) what is left over at some places of the rows of a scratch, continued into what it hides, the same."""
    if not hidden.any():
        return left_over
    left, right = max(0, int(at.min()) - AROUND_PX), int(at.max()) + 1 + AROUND_PX
    box = picture[top : top + len(at), left:right].copy()
    rows = np.arange(len(at))[:, None]
    box[rows, at - left] = left_over
    hole = np.zeros(box.shape[:2], np.bool_)
    hole[rows, at - left] = hidden.any(axis=2)
    return np.where(hidden, inpainted(box, hole, INPAINT_PX)[rows, at - left], left_over)


def _profile(
    picture: Rgb, line: Line, reach: tuple[int, int], at: npt.NDArray[np.int64], shown: Shown
) -> tuple[Values, Values]:  # fmt: skip
    """What the scratch adds at some places of its rows: of one shape, its depth even along its way.

    It is what goes beyond what other frames show there, or beyond what lies between its flanks.

    Returns:
        (N, M, 3) that, and (N, M) about 0..1, how far it covers each place, over its middle.
    """
    far = max(reach) + 1
    side = far + FLANK_PX
    values = sampled(picture, line, side)
    known, seen = _in_its_coordinates(shown, line, reach, side)
    deviation = seen * (values - known) + (1 - seen) * deviations(values, far)
    sure = seen.mean(axis=(1, 2)) > MOSTLY
    shape, depth = _shape(deviation[sure] if sure.mean() > ENOUGH else deviation, deviation, reach)
    if np.median(depth) > MOST_DEPTH:  # where other frames show the picture the scratch has faded, or ended
        shape, depth = _shape(deviation, deviation, reach)
    smooth = np.asarray(_steady(depth, sure, _beside(picture, line, shape, far))[:, None, None] * shape, np.float32)
    covering = np.broadcast_to(_covering(deviation), smooth.shape[:2]).astype(np.float32)
    places = (at - line.centre[:, None] + side).astype(np.float32)
    down = np.broadcast_to(np.arange(len(at))[:, None], at.shape).astype(np.float32)
    added, cover = (
        np.asarray(cv2.remap(one, places, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE), np.float32)
        for one in (smooth, covering)
    )
    most_added = np.linalg.norm(added, axis=2).max(axis=1)[:, None, None] * np.maximum(0.0, cover)[..., None]
    return np.clip(added, -most_added, most_added), cover  # what is cut swings a little beside itself when it is moved


def _covering(deviation: Values) -> Values:
    """(M,) 0..1, how far a scratch covers each place of its profile, over its middle.

    By how much it changes there where it changes its middle, in whatever row and to whichever side.
    """
    side = deviation.shape[1] // 2
    core = deviation[:, side - CORE_PX : side + CORE_PX + 1].mean(axis=1)
    along = (core[:, None] * deviation).sum(axis=(0, 2)) / max(1e-9, float(np.square(core).sum()))
    return np.asarray(np.clip(along, 0.0, 1.0), np.float32)


def _shape(some: Values, deviation: Values, reach: tuple[int, int]) -> tuple[Values, Values]:
    """(M, 3) the profile of a scratch by some of its rows, and (N,) how deep it is in all of them, times that.

    It is the same all along: what is upright in the picture is so only in part of it.
    """
    offsets = np.arange(deviation.shape[1]) - deviation.shape[1] // 2
    shape = _sure(np.median(some, axis=0), some)
    shape[(offsets < -reach[0] - 1) | (offsets > reach[1] + 1)] = 0.0
    depth = (deviation * shape).sum(axis=(1, 2)) / max(1e-9, float(np.square(shape).sum()))
    return shape, np.asarray(depth, np.float32)


def _sure(shape: Values, deviation: Values) -> Values:
    """(M, 3) the profile of a scratch without what its pieces do not agree about: that is of the picture.

    Drawn towards nothing by the share that its error has of its square (in the manner of James and Stein 1961).
    """
    count = min(PIECES, len(deviation))
    if count < 2:
        return shape
    pieces = np.stack([np.median(one, axis=0) for one in np.array_split(deviation, count)])
    error = pieces.var(axis=0, ddof=1) / count
    return np.asarray(shape * np.clip(1.0 - error / np.maximum(np.square(shape), 1e-12), 0.0, 1.0), np.float32)


def _in_its_coordinates(
    shown: Shown, line: Line, reach: tuple[int, int], side: int
) -> tuple[Values, Values]:  # fmt: skip
    """(N, 2 side + 1, 3) what other frames show beside the middle of a line; (N, 2 side + 1, 1) how far believed."""
    aside = line.centre - np.rint(line.centre)  # of the line beside the middle of what is shown
    middle = reach[0] + FLANK_PX
    places = (aside[:, None] + middle + np.arange(-side, side + 1)[None, :]).astype(np.float32)
    down = np.broadcast_to(np.arange(len(line.centre))[:, None], places.shape).astype(np.float32)
    known = cv2.remap(shown.values, places, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    seen = cv2.remap(shown.seen, places, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0)
    return np.asarray(known, np.float32), np.asarray(seen[..., None], np.float32)


def _beside(picture: Rgb, line: Line, shape: Values, far: int) -> Values:
    """(N,) squared depth of a scratch that a picture has where there is none: by so much it disturbs that of a line.

    A depth is a sum of values, each of its own weight: the same sum is told at all places beside the line.
    """
    side = len(shape) // 2
    unit = np.repeat(np.eye(len(shape), dtype=np.float32)[..., None], 3, axis=2)
    weights = (deviations(unit, far) * shape).sum(axis=1) / max(1e-9, float(np.square(shape).sum()))
    values = sampled(picture, line, side + BESIDE_PX)
    depths = sum(
        cv2.filter2D(values[..., channel], -1, weights[None, :, channel], borderType=cv2.BORDER_REPLICATE)
        for channel in range(3)
    )
    away = np.abs(np.arange(-side - BESIDE_PX, side + BESIDE_PX + 1))
    some = np.asarray(depths)[:, (away > side) & (away <= BESIDE_PX)]  # clear of the line, and of what is not sampled
    some = gaussian_filter1d(some, ALONG_ROWS / 3, axis=0, mode="nearest")
    return np.asarray(np.square(some).mean(axis=1), np.float32)


def _steady(depth: Values, sure: npt.NDArray[np.bool_], by_picture: Values) -> Values:
    """(N,) depths without what the picture adds to them: nothing to speak of where other frames show the picture.

    Elsewhere, the more of it may be the picture's, squared (N,), the more it is drawn towards what is usual where
    little is: the likeliest depth of one that fades by a share of itself.
    """
    calm = median_filter(depth, size=min(ALONG_ROWS, len(depth)) | 1, mode="nearest")
    calm = gaussian_filter1d(calm, SMOOTH_ROWS, mode="nearest")
    usual = 1.0
    for _ in range(USUAL_PASSES):
        fades = max(FADES * abs(usual), LEAST_FADES) ** 2
        usual = float(np.average(calm, weights=1.0 / (by_picture + fades)))
    calm = (fades * calm + by_picture * usual) / (by_picture + fades)
    near = gaussian_filter1d(median_filter(depth, size=NEAR_ROWS, mode="nearest"), SMOOTH_ROWS, mode="nearest")
    share = gaussian_filter1d(sure.astype(np.float32), SMOOTH_ROWS, mode="nearest")
    return np.asarray(np.clip(share * near + (1 - share) * calm, 0.0, MOST_DEPTH), np.float32)


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

    What cuts through to the base does so all along: where most rows say so, the others are believed to be so too. And
    where its middle gets brighter as its flanks do, the picture shines through: what is plain is so in the picture.
    """
    texture = np.minimum(_rough(under[:, core]).std(axis=(1, 2)), _rough(values[:, core]).std(axis=(1, 2)))
    around = _rough(values[:, ~inner]).std(axis=(1, 2))
    slow = [gaussian_filter1d(one, TEXTURE_ROWS, mode="nearest") for one in (texture, around)]
    clipped = gaussian_filter1d((values[:, core].min(axis=2) > CLIPPED).mean(axis=1), TEXTURE_ROWS, mode="nearest")
    gone = np.asarray(clipped > OPAQUE)
    follows, off_by = _follows(values[:, core], values[:, ~inner])
    if follows - SURELY * off_by > SHINES_THROUGH:
        return gone
    opaque = (slow[0] < OPAQUE * slow[1]) | gone
    return np.ones_like(opaque) if follows < SHINES_THROUGH or opaque.mean() > MOSTLY else np.asarray(opaque)


def _follows(middle: Values, flanks: Values) -> tuple[float, float]:
    """By how much the middle of a scratch gets brighter where its flanks do, and the standard error of that.

    1 where the picture shines through; not a number where all flanks are alike.
    """
    core, around = (gaussian_filter1d(one.mean(axis=(1, 2)), SMOOTH_ROWS, mode="nearest") for one in (middle, flanks))
    spread = float(np.var(around))
    if spread < LEAST_SPREAD**2:
        return float("nan"), float("nan")
    slope = float(np.mean((core - core.mean()) * (around - around.mean())) / spread)
    left = float(np.var(core - slope * around))
    told = max(1.0, len(core) / (2 * np.sqrt(np.pi) * SMOOTH_ROWS))  # rows that say something of their own
    return slope, float(np.sqrt(left / spread / told))


def _noise_of(values: Values) -> float:
    """Standard deviation of the noise of flanks, (N, M, 3): of what differs from row to row where that is least."""
    apart = np.square(np.diff(values, axis=0)).mean(axis=(1, 2)) / 2
    near = gaussian_filter1d(apart, TEXTURE_ROWS, mode="nearest") if len(apart) else np.zeros(1)
    return float(np.sqrt(np.quantile(near, PLAIN_ROWS)))


def _rough(values: Values) -> Values:
    """Without what is even down the rows."""
    return np.asarray(values - cv2.blur(values.reshape(len(values), -1), (1, TEXTURE_ROWS)).reshape(values.shape))


def _shown(
    others: list[Other], values: Values, rows: npt.NDArray[np.int64], at: npt.NDArray[np.int64],
    inner: npt.NDArray[np.bool_],
) -> Shown:  # fmt: skip
    """What other frames show at some places, each by how well it fits the flanks there."""
    total, weights = np.zeros_like(values), np.zeros((*at.shape, 1), np.float32)
    seen, usual = np.zeros((*at.shape, 1), np.float32), np.ones(len(at), np.float32)
    for other in others:
        theirs, believed, error = _theirs(other, values, rows, at, inner)
        weight = believed / np.square(np.maximum(error, LEAST_LEVELS))[:, None, None]
        total += weight * theirs
        weights += weight
        seen = np.maximum(seen, believed)
        usual = np.where(believed.max(axis=(1, 2)) > 0, np.minimum(usual, error), usual)
    return Shown(np.asarray(total / np.maximum(weights, 1e-9), np.float32), seen, usual)


def _kept(under: Values, added: Values, shown: Shown) -> Values:
    """(N, 1, 1) 0..1, the share of what is left under a scratch in the best mean of that and what other frames show.

    Both are off by something of their own: other frames by as much as on the flanks, and what is left by what both
    differ by beyond that. Weights are the inverses of the variances. It counts where the scratch adds much.
    """
    depth = np.square(added).sum(axis=2)
    weight = shown.seen[..., 0] * depth / np.maximum(depth.max(axis=1, keepdims=True), 1e-9)
    apart = np.square(under - shown.values).mean(axis=2) * weight
    error = over_rows(apart, AGREEING_ROWS) / np.maximum(over_rows(weight, AGREEING_ROWS), 1e-3)
    usual = np.square(np.maximum(shown.usual, LEAST_LEVELS))
    return np.asarray((usual / np.maximum(error, usual))[:, None, None], np.float32)


def over_rows(values: npt.NDArray[Any], count: int) -> Values:
    """(N,) sums of the rows of (N, M) values that are nowhere negative, in the mean over so many of them."""
    mean = cv2.blur(values.sum(axis=1, keepdims=True).astype(np.float32), (1, count))[:, 0]
    return np.asarray(np.maximum(0.0, mean), np.float32)  # running sums may end a little below nothing


def _theirs(
    other: Other, values: Values, rows: npt.NDArray[np.int64], at: npt.NDArray[np.int64], inner: npt.NDArray[np.bool_]
) -> tuple[Values, Values, Values]:
    """What another frame shows there, (N, M, 1) 0..1 how far it is believed, and (N,) by how much its flanks differ."""
    flow = other.flow[rows, at]
    across = np.ascontiguousarray(at + flow[..., 0], np.float32)
    down = np.ascontiguousarray(rows + flow[..., 1], np.float32)
    theirs = cv2.remap(other.rgb, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    hidden = cv2.remap(
        other.mask.view(np.uint8), across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=1
    )
    apart = np.square(theirs - values).mean(axis=2)
    flanks = ~inner[None, :] & (hidden == 0)
    count = over_rows(flanks, SEEN_ROWS)
    usual = np.sqrt(over_rows(apart * flanks, SEEN_ROWS) / np.maximum(count, 1e-3))
    texture = gaussian_filter1d(_rough(values[:, ~inner]).std(axis=(1, 2)), TEXTURE_ROWS, mode="nearest")
    limit = np.maximum(max(SEEN_LEVELS, NOISE_TIMES * _noise_of(values[:, ~inner])), SEEN_SHARE * texture)
    believed = np.clip(2.0 - usual / limit, 0.0, 1.0) * (count > 1.0)
    seen = np.asarray((believed[:, None] * (hidden == 0))[..., None], np.float32)
    return np.asarray(theirs, np.float32), seen, np.asarray(usual, np.float32)
