"""Things that fly: what moves along a line over three frames is no dirt, however well it looks like it.

Rain, snow, a thrown ball, spokes and fast hands leave suspects on every frame, because the motion of such things cannot
be followed. Dirt is on one frame, and on the next there is other dirt elsewhere.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.steps.dirt.features import BlobFeatures

Table = npt.NDArray[np.float64]  # (N, 4): x, y of the middle, size in px, signed contrast in 8-bit levels

LEAST_PX, MOST_PX = 1.5, 90.0  # a frame: slower is followed by the motion, faster is not looked for
OFF_LINE_PX, OFF_LINE_SHARE = 3.0, 0.12  # how far from its line, and of its way, a thing may be
LARGE_PX, LARGE_OFF_LINE_SHARE = 100.0, 0.4  # things this large are few, so that a bent way tells them too
SIZE_FACTOR, CONTRAST_FACTOR = 2.0, 1.7  # between frames; blur and what lies behind change both
COMPANY_PX, LEAST_COMPANY = 120.0, 2  # so many like it this near: it belongs to them
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
