"""On which frames of a shot the noise is new: some cameras and noise reducers let it stand for several frames.

Two frames that share their noise differ by less than noise in plain places, whatever moves elsewhere. A picture that
moves by fits and starts differs by little too, now and then; but then what differs along the motion is no more noise
than that, and nothing is held.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.pairs import DARKEST, SIDE, flatness
from grevin.core.measure.one_light import difference_in_one_light, in_usual_light
from grevin.core.motion.flow import Luma8
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress

Differences = npt.NDArray[np.float64]
Renewed = npt.NDArray[np.bool_]

PLAIN_SHARE = 0.15  # of the places, the plainest of two frames on top of each other
RUN, RUNS = 24, 4  # frames of a long shot that are looked at first, and in how many places
HELD_SHARE = 0.3  # of the variance of noise, that frames which share it differ by at most
LEAST_HELD = 0.15  # of the pairs, else frames are repeated and no noise is held
LEAST_NEW = 0.03  # of the pairs
LONGEST = 30  # frames: what stands for longer is no noise
LEAST_PLACES = 12


def standing_difference(here: Luma8, there: Luma8) -> tuple[float, float]:
    """Variance of noise that two frames show in plain places without regard to motion, and how far the light changed.

    Args:
        here: (H, W) uint8 luma of a frame.
        there: of the next one.

    Returns:
        Half the mean square of the difference, squared 8-bit levels, the median over the plainest places; 8-bit levels
        of light. NaN and 0 where there are too few places.
    """
    rows, columns = here.shape[0] // SIDE, here.shape[1] // SIDE
    first, second = (_places(picture, rows, columns) for picture in (here, there))
    level = 0.5 * (first + second).mean(axis=(1, 2))
    good = (level > DARKEST) & (np.abs(level - 128) < 112)
    if int(good.sum()) < LEAST_PLACES:
        return float("nan"), 0.0
    rest = flatness(first[good] + second[good])
    differing, light = difference_in_one_light(first[good], second[good], np.ones(int(good.sum()), np.bool_))
    apart = np.square(differing).mean(axis=(1, 2)) / 2
    return float(np.median(apart[rest <= np.quantile(rest, PLAIN_SHARE)])), light


def _places(picture: Luma8, rows: int, columns: int) -> npt.NDArray[np.float32]:
    cut = picture[: rows * SIDE, : columns * SIDE].reshape(rows, SIDE, columns, SIDE).swapaxes(1, 2)
    return cut.reshape(-1, SIDE, SIDE).astype(np.float32)


def differences(frames: range, luma: Callable[[int], Luma8 | None], progress: Progress) -> Differences:
    """(T,) `standing_difference` of each frame against the one before; NaN where that was not looked at.

    Nor is it known where the light changed far more than is usual. Of a long shot some runs are looked at first, and
    the rest only where those show two kinds of differences.
    """
    found, light = np.full(len(frames), np.nan), np.zeros(len(frames))

    def look(number: int) -> tuple[float, float]:
        here, there = luma(number - 1), luma(number)
        return (float("nan"), 0.0) if here is None or there is None else standing_difference(here, there)

    def fill(numbers: list[int]) -> None:
        progress.begin(len(numbers), "Looking whether noise stands still")
        for number, told in zip(numbers, in_parallel(look, numbers), strict=True):
            found[number - frames.start], light[number - frames.start] = told
            progress.advance()
        known = np.isfinite(found)
        if known.any():
            found[known] = np.where(in_usual_light(light[known]), found[known], np.nan)

    everywhere = list(frames[1:])
    some = everywhere
    if len(frames) > RUN * RUNS:
        starts = np.linspace(1, len(frames) - RUN, RUNS).astype(int)
        some = [frames[int(start) + n] for start in starts for n in range(RUN)]
    fill(some)
    if len(some) < len(everywhere) and split(found) is not None:
        fill(sorted(set(everywhere) - set(some)))
    return found


def split(found: Differences) -> float | None:
    """The difference that parts frames with old noise from those with new; None where there are not two kinds."""
    known = np.sort(found[np.isfinite(found)])
    if len(known) < 4:
        return None
    logs = np.log(np.maximum(known, 1e-3))
    counts = np.arange(1, len(logs))
    low = np.cumsum(logs)[:-1] / counts
    high = (logs.sum() - np.cumsum(logs)[:-1]) / (len(logs) - counts)
    place = int(np.argmax(counts * (len(logs) - counts) * np.square(high - low)))  # Otsu 1979
    share = counts[place] / len(logs)
    apart = np.exp(low[place] - high[place])
    if apart > HELD_SHARE or not LEAST_HELD <= share <= 1 - LEAST_NEW:
        return None
    return float(np.exp(0.5 * (low[place] + high[place])))


def renewed(found: Differences, noise: float) -> Renewed | None:
    """(T,) whether the noise of a frame is new; None where none is held.

    Args:
        found: of `differences`.
        noise: variance of the noise along the motion, of pairs of frames that differ by much.
    """
    limit = split(found)
    if limit is None or float(np.nanmedian(found[found < limit])) > HELD_SHARE * noise:
        return None
    new = ~(found < limit)
    new[0] = True
    return None if int(np.diff(np.append(np.flatnonzero(new), len(new))).max()) > LONGEST else new


def every(found: Differences, period: int) -> Renewed:
    """(T,) whether the noise of a frame is new, where it is known to be every so many frames."""
    new = np.zeros(len(found), np.bool_)
    phases = [np.nansum(found[phase::period]) for phase in range(period)]
    new[int(np.argmax(phases)) :: period] = True
    new[0] = True
    return new


def lengths(new: Renewed) -> npt.NDArray[np.int64]:
    """For how many frames the noise stands, each time; without the first and the last, which may be cut off."""
    inner = np.diff(np.flatnonzero(new))
    return inner[1:] if len(inner) > 2 else inner
