"""Things that fly or come back: what other frames of the shot show is no dirt, however well it looks like it.

Rain, snow, a thrown ball, spokes and fast hands leave suspects on every frame, because the motion of such things cannot
be followed. Dirt is on one frame, and on the next there is other dirt elsewhere. A thing gives itself away by moving
along a line over three frames; by coming back to its place, as spokes do; or, where it is large, by being found
elsewhere on both frames beside.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8
from grevin.core.steps.dirt.blobs import Blobs
from grevin.core.steps.dirt.features import BlobFeatures

Table = npt.NDArray[np.float64]  # (N, 4): x, y of the middle, size in px, signed contrast in 8-bit levels

LEAST_PX, MOST_PX = 1.5, 90.0  # a frame: slower is followed by the motion, faster is not looked for
OFF_LINE_PX, OFF_LINE_SHARE = 3.0, 0.12  # how far from its line, and of its way, a thing may be
LARGE_PX, LARGE_OFF_LINE_SHARE = 100.0, 0.4  # things this large are few, so that a bent way tells them too
SIZE_FACTOR, CONTRAST_FACTOR = 2.0, 1.7  # between frames; blur and what lies behind change both
RESTLESS_SIZE, RESTLESS_CONTRAST = 0.25, 0.5  # of its own, that what else changes at its place has at least
COMPANY_PX, LEAST_COMPANY = 150.0, 2  # so many like it this near: it belongs to them
BACK_FROM, BACK_TO = 2, 4  # frames away, either way, in which a thing is looked for at its own place
BACK_SHARE = 0.35  # of its contrast by which it may differ there
BACK_TIMES = 2  # frames that have to show it: one may do so by chance
FEW_FRAMES = 4  # of those asked, so few near the ends of a shot that one is enough
ELSEWHERE_LEAST_PX = 50  # size from which a thing is looked for at other places: small ones are alike by chance
ELSEWHERE_PX = 96  # how far a large thing is looked for on the frames beside
ELSEWHERE_BENT_PX, ELSEWHERE_BENT_SHARE = 16.0, 0.8  # by which its way may change from frame to frame
ELSEWHERE_SHARE = 0.3  # by which it may differ there, of its contrast or of what the motion leaves unexplained
BETWEEN_PIXELS = 1 / 12  # of the squared slope: what a thing differs by that lies anywhere between whole pixels
MOST_OF_IT = 0.5  # of what a blob deviates by in all, from which it is the thing that was found within it
ELSEWHERE_SCALE = 2  # pictures are brought down by it for that
MOST_LOOKED_FOR = 400  # suspects a frame: more is not worth the time and is left alone anyway


def table_of(features: BlobFeatures) -> Table:
    """What has to be known of a frame's suspects to follow them, the largest first."""
    rows = _rows(features)
    return np.asarray(rows[np.argsort(-rows[:, 2], kind="stable")][:MOST_LOOKED_FOR])


def flying(features: BlobFeatures, near: Table, far: Table, both_sides: bool) -> npt.NDArray[np.bool_]:
    """(N,) bool, which suspects lie on a line with two like them.

    Args:
        features: of the suspects.
        near: suspects of the frame beside.
        far: suspects of the frame on the other side, or beyond the near one.
        both_sides: which of these two it is.
    """
    here = _rows(features)
    if not (len(here) and len(near) and len(far)):
        return np.zeros(len(here), np.bool_)
    way = near[None, :, :2] - here[:, None, :2]
    length = np.hypot(way[..., 0], way[..., 1])
    blob, other = np.nonzero(_alike(here[:, None], near[None]) & (length >= LEAST_PX) & (length <= MOST_PX))
    moved = way[blob, other]
    expected = here[blob, :2] + (-moved if both_sides else 2 * moved)
    share = np.where(here[blob, 2] >= LARGE_PX, LARGE_OFF_LINE_SHARE, OFF_LINE_SHARE)
    slack = OFF_LINE_PX + share * length[blob, other]
    off = np.hypot(*np.moveaxis(far[None, :, :2] - expected[:, None], -1, 0))
    on_line = (off <= slack[:, None]) & _alike(here[blob][:, None], far[None])
    result = np.zeros(len(here), np.bool_)
    result[blob[on_line.any(axis=1)]] = True
    return result | _in_company(here, result)


def restless(
    features: BlobFeatures, others: Sequence[tuple[int, Table]], way: npt.NDArray[Any]
) -> npt.NDArray[np.bool_]:
    """(N,) bool, which suspects lie where every other frame has one too: at that place something changes all the time.

    Such as the figures of a running time. What they look like need not be the same.

    Args:
        features: of the suspects.
        others: how many frames away, and the suspects there.
        way: (N, 2) px a frame (right, down), how the picture round each moves; a place of the frame is asked too.
    """
    here = _rows(features)
    moving, standing = (
        [_something_at(here, offset * moves, there) for offset, there in others] for moves in (way, np.zeros_like(way))
    )
    return np.asarray(np.logical_and.reduce(moving) | np.logical_and.reduce(standing))


def _something_at(here: Table, move: npt.NDArray[Any], there: Table) -> npt.NDArray[np.bool_]:
    """(N,) bool, which suspects have others, not much less in all, within their own width on another frame."""
    apart = np.hypot(*np.moveaxis(there[None, :, :2] - (here[:, :2] + move)[:, None], -1, 0))
    near = apart <= np.sqrt(here[:, 2])[:, None]
    strong = np.abs(there[None, :, 3]) >= RESTLESS_CONTRAST * np.abs(here[:, None, 3])
    return np.asarray((near & strong) @ there[:, 2] >= np.maximum(RESTLESS_SIZE * here[:, 2], 1.0))


def coming_back(
    blobs: Blobs, contrast: npt.NDArray[Any], chosen: npt.NDArray[np.bool_], here: Luma8,
    others: Sequence[tuple[int, Luma8]], way: npt.NDArray[Any],
) -> npt.NDArray[np.bool_]:  # fmt: skip
    """(N,) bool, which of the chosen suspects other frames show at the same place, of the picture or of the frame.

    Args:
        blobs: the suspects.
        contrast: (N,) of each, 8-bit levels.
        chosen: (N,) bool, those that are asked about.
        here: (H, W) uint8 luma.
        others: how many frames away, and the luma there.
        way: (N, 2) px a frame (right, down), how the picture round each moves.
    """
    result = np.zeros(len(blobs), np.bool_)
    if not chosen.any() or not others:
        return result
    for moves in (way[chosen], np.zeros((int(chosen.sum()), 2))):
        times = [_shown(blobs, contrast, chosen, here, there, offset * moves) for offset, there in others]
        result[chosen] |= np.sum(times, axis=0) >= (BACK_TIMES if len(others) > FEW_FRAMES else 1)
    return result


def _shown(
    blobs: Blobs, contrast: npt.NDArray[Any], chosen: npt.NDArray[np.bool_], here: Luma8, there: Luma8,
    move: npt.NDArray[Any],
) -> npt.NDArray[np.bool_]:  # fmt: skip
    """(M,) bool, which of the chosen suspects another frame shows, moved by so many pixels."""
    rows, columns = blobs.pixels_of(chosen)
    sizes = blobs.sizes[chosen]
    owner = np.repeat(np.arange(len(sizes)), sizes)
    across, down = np.rint(move).astype(np.int64).T
    y, x = rows + down[owner], columns + across[owner]
    height, width = here.shape
    inside = (y >= 0) & (x >= 0) & (y < height) & (x < width)
    found = there[np.clip(y, 0, height - 1), np.clip(x, 0, width - 1)].astype(np.int16)
    apart = np.where(inside, np.abs(here[rows, columns].astype(np.int16) - found), 255)
    return np.asarray(np.bincount(owner, apart, minlength=len(sizes)) / sizes < BACK_SHARE * contrast[chosen])


def elsewhere(
    blobs: Blobs, features: BlobFeatures, chosen: npt.NDArray[np.bool_], here: Luma8, others: tuple[Luma8, Luma8],
    moved: tuple[Luma8, Luma8], offsets: tuple[int, int],
) -> npt.NDArray[np.bool_]:  # fmt: skip
    """(N,) bool, which large ones of the chosen suspects are on both other frames, on a way that a thing could go.

    Args:
        blobs: the suspects.
        features: of theirs.
        chosen: (N,) bool, those that are asked about.
        here: (H, W) uint8 luma.
        others: luma of the two frames that both have to show it.
        moved: the same along the motion, which does not explain the suspects.
        offsets: how many frames away these are.
    """
    result = np.zeros(len(chosen), np.bool_)
    asked = np.flatnonzero(chosen & (features.pixels >= ELSEWHERE_LEAST_PX))
    if not len(asked):
        return result
    size = max(1, here.shape[1] // ELSEWHERE_SCALE), max(1, here.shape[0] // ELSEWHERE_SCALE)
    small, *rest = (cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in (here, *others))
    off = [np.maximum(features.contrast, _off_by(blobs, here, one)) for one in moved]
    for blob in asked:
        shape = _shape_of(blobs, int(blob), small.shape)
        found = []
        for other, apart in zip(rest, off, strict=True):
            place = _found_near(small, other, shape, ELSEWHERE_SHARE * float(apart[blob]))
            if place is None:
                break
            found.append(place)
        else:
            result[blob] = _on_a_way(found[0], found[1], offsets)
    return _with_their_wholes(blobs, features, result)


def _off_by(blobs: Blobs, here: Luma8, moved: Luma8) -> npt.NDArray[np.float64]:
    """(N,) 8-bit levels rms by which the motion leaves each blob unexplained."""
    apart = here[blobs.place].astype(np.float64) - moved[blobs.place]
    return np.sqrt(blobs.mean(np.square(apart)))


def _with_their_wholes(blobs: Blobs, features: BlobFeatures, found: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """(N,) bool, and the blobs of lower thresholds that a found one is most of: the thing with its blurred edge."""
    result, weight = found.copy(), features.pixels * features.contrast
    for level in range(int(blobs.level.max()), 0, -1):
        core = np.flatnonzero(result & (blobs.level == level) & (blobs.parent >= 0))
        most = weight[core] > MOST_OF_IT * weight[blobs.parent[core]]
        result[blobs.parent[core[most]]] = True
    return result


def _on_a_way(first: npt.NDArray[np.float64], second: npt.NDArray[np.float64], offsets: tuple[int, int]) -> bool:
    """Whether displacements on two frames are those of one thing: what is on both frames by chance lies anyhow."""
    ways = first / offsets[0], (second - first) / (offsets[1] - offsets[0])  # a frame, before this one and over it
    ways = ways if offsets[0] * offsets[1] > 0 else (ways[0], second / offsets[1])
    size = max(float(np.hypot(*way)) for way in ways)
    return float(np.hypot(*(ways[0] - ways[1]))) <= ELSEWHERE_BENT_PX + ELSEWHERE_BENT_SHARE * size


def _shape_of(blobs: Blobs, blob: int, shape: tuple[int, ...]) -> npt.NDArray[np.uint8]:
    """(h, w) uint8 on the smaller picture: 1 on a blob and its rim."""
    one = np.zeros(len(blobs), np.bool_)
    one[blob] = True
    rows, columns = (places // ELSEWHERE_SCALE for places in blobs.pixels_of(one))
    inside = np.zeros(shape, np.uint8)
    inside[np.minimum(rows, shape[0] - 1), np.minimum(columns, shape[1] - 1)] = 1
    return np.asarray(cv2.dilate(inside, np.ones((3, 3), np.uint8)))


def _found_near(
    here: npt.NDArray[Any], there: npt.NDArray[Any], shape: npt.NDArray[np.uint8], least: float
) -> npt.NDArray[np.float64] | None:  # fmt: skip
    """(right, down) px of the frame to where a shape of one picture is found on another, near its place there.

    None where it is not, but for so many 8-bit levels (rms) and for lying between pixels.
    """
    reach = ELSEWHERE_PX // ELSEWHERE_SCALE
    x, y, wide, high = cv2.boundingRect(shape)
    inside = shape[y : y + high, x : x + wide].astype(np.float32)
    patch = here[y : y + high, x : x + wide].astype(np.float32)
    field = there[max(0, y - reach) : y + high + reach, max(0, x - reach) : x + wide + reach].astype(np.float32)
    match = cv2.matchTemplate(field, patch, cv2.TM_SQDIFF, mask=inside)
    best, _, place, _ = cv2.minMaxLoc(match)
    between = sum(float((np.square(one) * inside).sum()) for one in np.gradient(patch)) * BETWEEN_PIXELS
    if best >= least * least * float(inside.sum()) + between:
        return None
    moved = np.array(place, np.float64) - (min(x, reach), min(y, reach))
    return np.asarray(ELSEWHERE_SCALE * moved)


def _rows(features: BlobFeatures) -> Table:
    x, y, width, height = features.boxes.T.astype(np.float64)
    columns = [x + width / 2, y + height / 2, features.pixels, features.sign * features.contrast]
    return np.asarray(np.stack(columns, axis=1), np.float64)


def _in_company(here: Table, known: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """(N,) bool, which suspects have several like them near by that fly: one drop is like another."""
    flown = here[known]
    distance = np.hypot(*np.moveaxis(here[:, None, :2] - flown[None, :, :2], -1, 0))
    like = _alike(here[:, None], flown[None]) & (distance <= COMPANY_PX)
    return np.asarray(like.sum(axis=1) >= LEAST_COMPANY)


def _alike(one: Table, other: Table) -> npt.NDArray[np.bool_]:
    """Whether size and contrast could be those of one thing; broadcasts over the rows."""
    with np.errstate(divide="ignore", invalid="ignore"):
        size, contrast = one[..., 2] / other[..., 2], one[..., 3] / other[..., 3]
    return np.asarray(
        (size <= SIZE_FACTOR) & (size >= 1 / SIZE_FACTOR)
        & (contrast <= CONTRAST_FACTOR) & (contrast >= 1 / CONTRAST_FACTOR)
    )  # fmt: skip
