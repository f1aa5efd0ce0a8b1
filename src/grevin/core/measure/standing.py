"""Marks that stand on the same place while the picture moves on: dust on the sensor, a drop on the lens.

What lies under a mark on one frame lies beside it on another. The fine part of the logarithm of light at a place, less
that of the same thing where the motion finds it on other frames, is the mark's own, and the same on every look; what
motion mistakes comes out otherwise each time. A mark counts that is far larger than single looks differ by, and than
what else is left around it, and through which the picture shines: what was laid over a picture, such as a station's
mark, hides what goes by beneath it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.known import known_median
from grevin.core.measure.sampling import spread_over
from grevin.core.motion.flow import Flow, Luma8, estimate_flow, positions
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Mask
from grevin.core.progress import Progress

WIDTH_PX = 360  # that pictures are brought down to: a mark of 10 px on standard definition is then 5 px wide
SCALES_PX = (2.5, 5.0)  # of the small picture: deviation of what is taken for the middle of a mark
WIDER = 2.0  # times that, of what is taken for its surroundings
LOOKS = 12  # frames of a shot
PACES = 4  # frames on which the pace of the picture is measured
PACE_FRAMES = 3  # between the two of a pair for it
PACE_SHARE = 75  # % of the picture that move more slowly
WAY_PX = 13.0  # of the small picture, that it should go from one frame of a pair to the other
NEAREST, FARTHEST = 2, 24  # frames between the two
CLEAR = 2.5  # times the deviation, that a thing has to go to come clear of a mark
EVEN_PX = 8  # grid, over whose medians of 5 x 5 the motion is evened out: what is small, such as a mark, does not lead
EVEN_ROUNDS = 3
FEWEST_LOOKS = 10  # at a place
FEWEST_OF_A_PAIR, FEWEST_PAIRS = 2, 2  # a mark met again along a steady pan is met in pairs of one distance alone
TIMES_LOOKS = 3.5  # what single looks differ by (standard deviation): a mark is at least so large
TIMES_AROUND = 3.0  # what is left around it
SAME_WAY = 0.9  # of the looks, that have to say darker, or brighter
LEAST = 0.006  # of the light, in its fine part
SURE_TIMES = 6.0  # what single looks differ by, from which a mark is sure
SHINES = (0.5, 2.0)  # times as much as around it light changes in a mark over the shot: of simulated ones .55 to 1.6
CORE, RIM, BEYOND = 0.35, 1.1, 2.0  # of half its box: the middle of a mark, and from where to where lies what is around
AROUND, MIDDLE = 8.0, 2.0  # times the deviation: what lies around a mark, without its middle
LOOKED_AT_PX = 1.0  # deviation over which light is evened out before its changes are told
STAYS_BETTER = 1.25  # times what is left where a place stands, that is left where motion leads to
MOST_STAYING = 0.25  # of what lies around a mark: more, and it stands with the picture behind what moves
NEAR, INNER = 4.0, 1.5  # times the finest deviation: what lies around a mark there, without its middle
FLOOR = 0.002  # of the light, added to what is left around: noise of the eight bits
BLACK, OFFSET = 16.0, 8.0  # levels: black of eight bits (BT.601), and what is added so that it has a logarithm
EDGE_SHARE = 0.25  # of its greatest value, at which a mark is taken to end
ROOM_PX = 4  # of the whole picture, round what is seen of a mark

Values = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Standing:
    """A mark that stands.

    Attributes:
        area: (x, y, width, height) px of the whole picture, with a little room.
        pixels: of the whole picture, that are seen to belong to it.
        light: share of the light that its middle has more, or less where it is below 0, than its surroundings.
        sure: 0 to 1.
    """

    area: tuple[int, int, int, int]
    pixels: int
    light: float
    sure: float


@dataclass(frozen=True, eq=False)
class _Found:
    """What looks at one scale say together, each (h, w)."""

    mark: Values
    apart: Values  # standard deviation of single looks
    same: Values  # share of the looks that say darker, or brighter, as all together do
    known: Mask
    moves: Values  # squares of what is left of a place where its motion leads to, of all looks
    stays: Values  # and where it is itself


def standing_marks(
    frames: range, shape: tuple[int, int], luma: Callable[[int], Luma8 | None], progress: Progress, workers: int = 0,
) -> list[Standing]:  # fmt: skip
    """Marks that stand while the picture moves, the surest first; none where it does not move.

    Args:
        frames: of one shot.
        shape: height and width of the pictures.
        luma: (H, W) uint8 of a frame, black at 16; None where it cannot be read. Asked from several threads.
        progress: one unit a frame that is looked at.
        workers: threads; 0 for all processors.

    Raises:
        CancelledError: if asked to stop.
    """
    numbers = spread_over(frames, LOOKS)
    progress.begin(len(numbers), "Looking for marks that stand")
    small = lru_cache(maxsize=None)(lambda number: _small(luma(number)))
    apart = _frames_apart(frames, small)
    if apart is None:
        return []
    pairs = (-2 * apart, -apart, apart, 2 * apart)

    def look(number: int) -> list[tuple[int, list[Values]]]:
        return [
            (pair, left) for pair in pairs
            if number + pair in frames and (left := _left(small(number), small(number + pair))) is not None
        ]  # fmt: skip

    looks: list[tuple[int, list[Values]]] = []
    for some in in_parallel(look, numbers, workers):
        looks += some
        progress.advance()
    if not looks:
        return []
    found_at = [_together([(pair, left[place]) for pair, left in looks]) for place in range(len(SCALES_PX))]
    staying = found_at[0].moves > STAYS_BETTER * found_at[0].stays
    moving = _round_about(staying, SCALES_PX[0], NEAR, INNER) <= MOST_STAYING
    marks: list[tuple[float, Standing]] = []
    for found, scale in zip(found_at, SCALES_PX, strict=True):
        marks += _marks(found, scale, moving, shape)
    changes = _changes([one for number in numbers if (one := small(number)) is not None])
    shone_through = [one for one in sorted(marks, key=lambda one: -one[0]) if _shines(changes, one[1].area, shape)]
    return _apart_from_each_other([mark for _, mark in shone_through])


def _small(luma: Luma8 | None) -> Luma8 | None:
    if luma is None:
        return None
    height, width = luma.shape
    size = (min(width, WIDTH_PX), max(1, round(height * min(1.0, WIDTH_PX / width))))
    return np.asarray(cv2.resize(luma, size, interpolation=cv2.INTER_AREA), np.uint8)


def _frames_apart(frames: range, small: Callable[[int], Luma8 | None]) -> int | None:
    """How many frames lie between the two of a pair, for the picture to go far enough; None where it goes nowhere."""
    paces = []
    for number in spread_over(frames[:-PACE_FRAMES], PACES) if len(frames) > PACE_FRAMES else []:
        here, there = small(number), small(number + PACE_FRAMES)
        if here is not None and there is not None:
            paces.append(float(np.percentile(np.hypot(*_even_flow(here, there).transpose(2, 0, 1)), PACE_SHARE)))
    pace = float(np.median(paces)) / PACE_FRAMES if paces else 0.0
    if pace * FARTHEST * 2 < CLEAR * min(SCALES_PX):
        return None
    return int(np.clip(round(WAY_PX / pace), NEAREST, FARTHEST))


def _even_flow(here: Luma8, there: Luma8) -> Flow:
    """Flow that nothing small leads."""
    coarse = np.ascontiguousarray(estimate_flow(here, there, "quick")[::EVEN_PX, ::EVEN_PX])
    for _ in range(EVEN_ROUNDS):
        coarse = np.stack([cv2.medianBlur(np.ascontiguousarray(part), 5) for part in coarse.transpose(2, 0, 1)], axis=2)
    return np.asarray(cv2.resize(coarse, here.shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)


def _left(here: Luma8 | None, there: Luma8 | None) -> list[Values] | None:
    """(2, h, w) at each scale: a frame's fine part less that of the same thing, and of the same place, on another.

    NaN where the picture does not go far enough.
    """
    if here is None or there is None or here.shape != there.shape:
        return None
    flow = _even_flow(here, there)
    way = np.hypot(flow[..., 0], flow[..., 1])
    ours, theirs = _light(here), _light(there)
    left = []
    for scale in SCALES_PX:
        here_fine, there_fine = _fine(ours, scale), _fine(theirs, scale)
        moved = cv2.remap(
            there_fine, *positions(flow), cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT, borderValue=float("nan"),
        )  # fmt: skip
        left.append(np.where(way < CLEAR * scale, np.nan, np.stack([here_fine - moved, here_fine - there_fine])))
    return left


def _light(luma: Luma8) -> Values:
    return np.asarray(np.log(np.maximum(luma.astype(np.float32) - BLACK, 0) + OFFSET), np.float32)


def _fine(light: Values, scale: float) -> Values:
    """What of it is about so large."""
    middle, around = (cv2.GaussianBlur(light, (0, 0), one) for one in (scale, WIDER * scale))
    return np.asarray(middle - around, np.float32)


def _together(looks: list[tuple[int, Values]]) -> _Found:
    """What all looks say, from how far apart in time each pair was and what it left."""
    stack = np.stack([left[0] for _, left in looks])
    known = ~np.isnan(stack)
    count = known.sum(axis=0)
    of = np.array([pair for pair, _ in looks])
    pairs = sum((known[of == pair].sum(axis=0) >= FEWEST_OF_A_PAIR).astype(int) for pair in np.unique(of))
    mark = np.nan_to_num(known_median(stack))
    apart = np.sqrt(np.where(known, np.square(stack - mark), 0).sum(axis=0) / np.maximum(count, 1))
    same = (known & (np.sign(stack) == np.sign(mark))).sum(axis=0) / np.maximum(count, 1)
    told = (count >= FEWEST_LOOKS) & (np.asarray(pairs) >= FEWEST_PAIRS)
    moves, stays = (np.nansum([np.square(left[one]) for _, left in looks], axis=0) for one in (0, 1))
    return _Found(
        np.where(told, mark, np.float32(0)), apart.astype(np.float32), same.astype(np.float32), told,
        moves.astype(np.float32), stays.astype(np.float32),
    )  # fmt: skip


def _marks(found: _Found, scale: float, moving: Mask, whole: tuple[int, int]) -> list[tuple[float, Standing]]:
    """Every mark of a scale, with how far it stands out of its surroundings."""
    size = np.abs(found.mark)
    around = np.sqrt(_round_about(size * size, scale) / np.maximum(_round_about(found.known, scale), 0.1)) + FLOOR
    out = np.asarray(size / around, np.float32)
    reach = int(2 * scale)
    top = out == cv2.dilate(out, np.ones((2 * reach + 1, 2 * reach + 1)))
    top &= (
        moving & (out > TIMES_AROUND) & (size > LEAST) & (found.same >= SAME_WAY) & (size >= TIMES_LOOKS * found.apart)
    )
    top[:reach] = top[-reach:] = False
    top[:, :reach] = top[:, -reach:] = False
    return [(float(out[y, x]), _mark(found, (int(y), int(x)), whole)) for y, x in zip(*np.nonzero(top), strict=True)]


def _round_about(values: Values | Mask, scale: float, far: float = AROUND, near: float = MIDDLE) -> Values:
    """Their mean around each place, without its middle."""
    values = values.astype(np.float32)
    wide, middle = (cv2.GaussianBlur(values, (0, 0), times * scale) for times in (far, near))
    share = (near / far) ** 2
    return np.asarray(np.maximum((wide - share * middle) / (1 - share), 1e-12), np.float32)


def _mark(found: _Found, top: tuple[int, int], whole: tuple[int, int]) -> Standing:
    """The mark whose middle lies there."""
    light = float(found.mark[top])
    same = (np.sign(light) * found.mark > EDGE_SHARE * abs(light)).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(same, connectivity=4)
    left, upper, wide, tall, pixels = (int(value) for value in stats[labels[top]])
    across, down = whole[1] / found.mark.shape[1], whole[0] / found.mark.shape[0]
    x, y = max(0, int(left * across) - ROOM_PX), max(0, int(upper * down) - ROOM_PX)
    right, bottom = int((left + wide) * across) + ROOM_PX, int((upper + tall) * down) + ROOM_PX
    area = (x, y, min(whole[1], right) - x, min(whole[0], bottom) - y)
    sure = min(1.0, abs(light) / max(1e-6, SURE_TIMES * float(found.apart[top])))
    return Standing(area, int(pixels * across * down), float(np.expm1(light)), sure)


def _changes(pictures: list[Luma8]) -> Values:
    """(h, w) by how much the light of a place changes over the shot: standard deviation of its logarithm."""
    lights = [cv2.GaussianBlur(_light(picture), (0, 0), LOOKED_AT_PX) for picture in pictures]
    return np.asarray(np.stack(lights).std(axis=0), np.float32)


def _shines(changes: Values, area: tuple[int, int, int, int], whole: tuple[int, int]) -> bool:
    """Whether what goes by beneath a mark is seen in it, as it is seen around it."""
    across, down = whole[1] / changes.shape[1], whole[0] / changes.shape[0]
    x, y, width, height = area[0] / across, area[1] / down, area[2] / across, area[3] / down
    rows, columns = np.mgrid[0 : changes.shape[0], 0 : changes.shape[1]]
    away = np.hypot((columns + 0.5 - x) / width - 0.5, (rows + 0.5 - y) / height - 0.5) * 2
    core, around = changes[away < CORE], changes[(away > RIM) & (away < BEYOND)]
    if not core.size or not around.size:
        return False
    least, most = SHINES
    return least * float(np.median(around)) <= float(np.median(core)) <= most * float(np.median(around))


def _apart_from_each_other(marks: list[Standing]) -> list[Standing]:
    """One mark is seen at several scales: where two lie on each other the first counts."""
    kept: list[Standing] = []
    for mark in marks:
        if not any(_overlap(mark.area, other.area) for other in kept):
            kept.append(mark)
    return kept


def _overlap(one: tuple[int, int, int, int], other: tuple[int, int, int, int]) -> bool:
    (ax, ay, aw, ah), (bx, by, bw, bh) = one, other
    return ax < bx + bw and bx < ax + aw and ay < by + bh and by < ay + ah
