"""Light that changes differently from place to place: a field of gains for each frame, on blocks.

As for whole frames, all pairs of frames are solved together; a block of one frame is held to where it has gone in the
other. What flickers is what departs from the mean of the same thing over the frames around, followed along the motion.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.curves import FOOT
from grevin.core.measure.lighting.pairs import Levels, Pair, SmallPicture

Field = npt.NDArray[np.float32]

ACROSS = 20  # blocks: with fewer most of a patch is missed
LEAST_BLOCK_PX = 4  # of the small picture: fewer pixels have no median to speak of
LEAST_SHARE = 0.25  # of a block's pixels that must be seen in both frames
ROUNDS = 3
CAUCHY = 0.015  # of log light: a block's own error from which it counts half
SMOOTH = 0.15  # weight of the field's evenness from block to block
HELD_ZERO = 0.3  # weight that keeps each block with the whole frame: what moves apart has no common level
SOLVER_STEPS = 60
WIDTHS = (0.8, 1.5, 3.0, 6.0, 12.0, 24.0)  # frames, standard deviation of weights in time
NEARLY = 1.15  # times the least error that is as good
LEVEL_NEARLY = 1.08  # the same for a level over the widest time: what does not drift leaves nothing behind
TOGETHER_FRAMES, TOGETHER_BLOCKS = 6.0, 1.0  # over which the choice is made together
STILL_BLOCKS = 0.05  # the camera stands


@dataclass(frozen=True, eq=False)
class BlockTable:
    """What all pairs of a shot say block by block.

    Attributes:
        first, second: (P,) int, frames counted from the shot's first.
        ratio: (P, h, w) float32 log of light of the second over the first, NaN where too little is seen.
        level: (P, h, w) float32 mean 8-bit level of the first there.
        flow: (P, h, w, 2) float32 where the block has gone, in blocks.
    """

    first: npt.NDArray[np.int64]
    second: npt.NDArray[np.int64]
    ratio: Field
    level: Field
    flow: Field


def grid_of(width: int, height: int, across: int = ACROSS) -> tuple[int, int]:
    """(across, down) blocks of a small picture; about so many across are wanted."""
    size = max(LEAST_BLOCK_PX, width // across)
    return max(1, width // size), max(1, height // size)


def block_facts(here: SmallPicture, pair: Pair, wanted: int = ACROSS) -> tuple[Field, Field, Field]:
    """Of a pair: (h, w) log ratio of light, (h, w) level, (h, w, 2) motion in blocks; `wanted` across, about."""
    luma, moved = here.levels[0], pair.moved[0]
    across, down = grid_of(luma.shape[1], luma.shape[0], wanted)
    size = luma.shape[1] // across
    ratio = np.log((moved + np.float32(FOOT)) / (luma + np.float32(FOOT)))
    ratio[~pair.both] = np.nan
    cells = _cells(ratio, across, down, size)
    cells.sort(axis=-1)  # what is unknown goes to the end
    known = np.isfinite(cells).sum(axis=-1)
    middle = np.take_along_axis(cells, np.maximum(known // 2, 0)[..., None], -1)[..., 0]
    middle[known < LEAST_SHARE * size * size] = np.nan
    level = _cells(luma, across, down, size).mean(axis=-1)
    flow = np.stack([_middles(_cells(pair.way.there[..., n], across, down, size)) for n in (0, 1)], axis=-1)
    return np.asarray(middle, np.float32), np.asarray(level, np.float32), np.asarray(flow / size, np.float32)


def _middles(cells: Levels) -> Levels:
    """Medians over the last axis; of so few values sorting is faster than looking for the middle."""
    cells.sort(axis=-1)
    half = cells.shape[-1] // 2
    return cells[..., half] if cells.shape[-1] % 2 else (cells[..., half - 1] + cells[..., half]) / np.float32(2)


def _cells(plane: Levels, across: int, down: int, size: int) -> Levels:
    """(down, across, size * size)."""
    cut = plane[: down * size, : across * size].reshape(down, size, across, size)
    return np.ascontiguousarray(cut.transpose(0, 2, 1, 3)).reshape(down, across, size * size)


def solved_fields(length: int, table: BlockTable, known: Field) -> Field:
    """(length, h, w) log light of each frame, block by block, beside that of the whole frame.

    Args:
        length: frames of the shot.
        table: its pairs.
        known: (P, h, w) log ratio that the curves of whole frames explain.
    """
    from scipy.sparse import vstack  # here: it takes long to load (docs/decisions/007)
    from scipy.sparse.linalg import lsmr

    rows, columns = table.ratio.shape[1:]
    wanted = (table.ratio - known).astype(np.float64)
    use = np.isfinite(wanted)
    matrix = _differences(length, table, use)
    right = wanted[use]
    weight = np.ones_like(right)
    rest = _evenness(length, rows, columns)
    zeros = np.zeros(rest.shape[0])
    field = np.zeros(length * rows * columns)
    for _ in range(ROUNDS):
        scaled = matrix.multiply(weight[:, None]).tocsr()
        whole = vstack([scaled, rest]).tocsr()
        field = lsmr(whole, np.concatenate([right * weight, zeros]), x0=field, maxiter=SOLVER_STEPS)[0]
        left = right - matrix @ field
        weight = 1.0 / np.sqrt(1.0 + np.square(left / CAUCHY))
    return np.asarray(field.reshape(length, rows, columns), np.float32)


def _differences(length: int, table: BlockTable, use: npt.NDArray[np.bool_]) -> Any:
    """A row for each block of each pair: the light where it has gone, less the light where it was."""
    from scipy.sparse import coo_array

    rows, columns = use.shape[1:]
    pair, y, x = np.nonzero(use)
    to_x = np.clip(x + table.flow[pair, y, x, 0], 0, columns - 1)
    to_y = np.clip(y + table.flow[pair, y, x, 1], 0, rows - 1)
    left, top = np.minimum(to_x.astype(int), max(0, columns - 2)), np.minimum(to_y.astype(int), max(0, rows - 2))
    right_share, down_share = to_x - left, to_y - top
    number = np.arange(len(pair))
    where, what, row = [], [], []
    for down in (0, 1):
        for across in (0, 1):
            share = (right_share if across else 1 - right_share) * (down_share if down else 1 - down_share)
            place = np.minimum(top + down, rows - 1) * columns + np.minimum(left + across, columns - 1)
            row.append(number)
            where.append(table.second[pair] * rows * columns + place)
            what.append(share)
    row.append(number)
    where.append(table.first[pair] * rows * columns + y * columns + x)
    what.append(-np.ones(len(pair)))
    shape = (len(pair), length * rows * columns)
    return coo_array((np.concatenate(what), (np.concatenate(row), np.concatenate(where))), shape=shape).tocsr()


def _evenness(length: int, rows: int, columns: int) -> Any:
    """Rows that hold neighbouring blocks together, and every block near nothing."""
    from scipy.sparse import coo_array, vstack

    cells = np.arange(length * rows * columns).reshape(length, rows, columns)
    parts = []
    for one, other in ((cells[:, :, 1:], cells[:, :, :-1]), (cells[:, 1:], cells[:, :-1])):
        count = one.size
        number = np.arange(count)
        values = np.concatenate([np.full(count, SMOOTH), np.full(count, -SMOOTH)])
        where = (np.concatenate([number, number]), np.concatenate([one.ravel(), other.ravel()]))
        parts.append(coo_array((values, where), shape=(count, cells.size)))
    number = np.arange(cells.size)
    parts.append(coo_array((np.full(cells.size, HELD_ZERO), (number, number)), shape=(cells.size, cells.size)))
    return vstack(parts).tocsr()


def flickering(field: Field, way: npt.NDArray[np.float64], longest: float) -> Field:
    """(length, h, w) what of the fields flickers: their departure from the same place of the scene in time.

    How far in time is looked is chosen place by place: by what foretells a block from its neighbours in time best.

    Args:
        field: log light.
        way: (length, 2) where the camera has gone, in blocks (`camera_way`).
        longest: frames, most that the standard deviation of the weights in time may be.
    """
    widths = [width for width in WIDTHS if width <= longest] or [WIDTHS[0]]
    tried = [(width, False, NEARLY) for width in widths] + [(widths[-1], True, LEVEL_NEARLY)]
    errors, lefts = [], []
    for width, level, _ in tried:
        around, own = _around_all(field, way, width, level)
        lefts.append(field - around)
        foretold = np.square((field - around) / np.maximum(0.05, 1.0 - own))
        most = 9.0 * np.median(foretold, axis=0) + 1e-9
        errors.append(_spread_out(np.minimum(foretold, most)))
    least = np.min(errors, axis=0)
    out = lefts[0]
    for error, left, (*_, nearly) in zip(errors, lefts, tried, strict=True):  # the steadiest that is hardly worse
        out = np.where(error <= nearly * least, left, out)
    return np.asarray(out, np.float32)


def camera_way(length: int, table: BlockTable) -> npt.NDArray[np.float64]:
    """(length, 2) where the camera has gone since the first frame, in blocks: the median of all motion."""
    step = np.zeros((length, 2))
    near = table.second - table.first == 1
    step[table.second[near]] = np.median(table.flow[near], axis=(1, 2))
    return np.cumsum(step, axis=0)


def _spread_out(values: npt.NDArray[Any]) -> npt.NDArray[np.float64]:
    """The same evened out over neighbouring frames and blocks."""
    from scipy.ndimage import gaussian_filter

    evened = gaussian_filter(values, (TOGETHER_FRAMES, TOGETHER_BLOCKS, TOGETHER_BLOCKS), mode="nearest")
    return np.asarray(evened, np.float64)


def _around_all(field: Field, way: npt.NDArray[np.float64], width: float, level: bool) -> tuple[Field, Field]:
    """(length, h, w) straight lines, or levels, in time through each place, and a frame's own say in its value."""
    reach = max(2, int(2.5 * width))
    if len(field) and np.ptp(way, axis=0).max() <= STILL_BLOCKS:
        return _line_at(_sums_at_rest(field, width, reach), level)
    made = [_line_at(_sums_round(field, frame, way, width, reach), level) for frame in range(len(field))]
    return np.stack([around for around, _ in made]), np.stack([own for _, own in made])


def _sums_at_rest(field: Field, width: float, reach: int) -> npt.NDArray[np.float64]:
    """(5, length, h, w), as `_sums_round` of all frames, where the camera stands."""
    number = np.arange(len(field))
    time = (number[None, :] - number[:, None]).astype(np.float64)
    weight = np.where(np.abs(time) <= reach, np.exp(-0.5 * (time / width) ** 2), 0.0)
    values = field.astype(np.float64)
    plain = [np.broadcast_to((weight * time**n).sum(axis=1)[:, None, None], field.shape) for n in (0, 1, 2)]
    return np.stack([*plain, *(np.tensordot(weight * time**n, values, 1) for n in (0, 1))])


def _sums_round(
    field: Field, frame: int, way: npt.NDArray[np.float64], width: float, reach: int
) -> npt.NDArray[np.float64]:  # fmt: skip
    """(5, h, w) weighted sums over time: of one, of time, of its square, of values, of time by values."""
    rows, columns = field.shape[1:]
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32)
    sums = np.zeros((5, rows, columns), np.float64)
    for there in range(max(0, frame - reach), min(len(field), frame + reach + 1)):
        right, down = way[there] - way[frame]
        value, inside = field[there], 1.0
        if abs(right) > STILL_BLOCKS or abs(down) > STILL_BLOCKS:
            at_x, at_y = x + np.float32(right), y + np.float32(down)
            inside = (at_x > -0.5) & (at_x < columns - 0.5) & (at_y > -0.5) & (at_y < rows - 0.5)
            value = cv2.remap(value, at_x, at_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        time = float(there - frame)
        weight = np.exp(-0.5 * (time / width) ** 2) * inside
        for place, part in enumerate((1.0, time, time * time, value, time * value)):
            sums[place] += weight * part
    return sums


def _line_at(sums: npt.NDArray[np.float64], level: bool) -> tuple[Field, Field]:
    """A straight line, or a level, through what was summed, and a frame's own say in it."""
    n, t, tt, v, tv = sums
    below = n * tt - t * t
    sure = (below > 1e-6) & (not level)
    safe = np.where(sure, below, 1.0)
    tilted = np.where(sure, (v * tt - t * tv) / safe, v / np.maximum(n, 1e-6))
    own = np.where(sure, tt / safe, 1.0 / np.maximum(n, 1e-6))
    return np.asarray(tilted, np.float32), np.asarray(own, np.float32)
