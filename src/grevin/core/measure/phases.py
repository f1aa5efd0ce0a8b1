"""A cadence that no single frame tells: what all frames at one phase of a period do together.

Under noise, or where next to nothing moves, a repeat changes as much as any frame. What it does not do is go on: its
step has nothing in common with the way that the frames around go, and displaces nothing. Both can be measured without
a bias by noise, so that what all repeats of a shot do comes out as nothing, however little the others do. Whether that
is more than chance is asked of the shot itself: its frames are dealt anew within each period (a permutation test,
Fisher 1935, "The Design of Experiments", from memory).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.repeats import STEP_SCALE
from grevin.core.motion.flow import Luma8

Curve = npt.NDArray[np.float32]

PERIODS = (2, 5, 6)
FEWEST_PERIODS = 4
CELLS = (16, 12)  # across, down: large enough that noise sinks in them, small enough for one person who moves
MOVING_SHARE = 0.1  # of the cells, those where most goes on over the whole shot
NOTHING, SOMETHING = 0.1, 0.15  # of the mean of all phases: repeats do less, all others more (own measurements)
LEAST_WAY = 0.1  # of that of all phases that there has to be at each: less is none to tell by
DEALS = 1000
CHANCE = 0.01  # of the deals that may set one phase as far apart
SEED = 5  # any, so that the same shot is always told the same


def parts_done(six: Sequence[Luma8]) -> npt.NDArray[np.float32]:
    """What the middle step of six frames in a row, and that of the four in the middle, have in common with the whole.

    No frame is in two of the three differences, so that noise, which is new in each, is in no product.

    Args:
        six: (H, W) uint8 luma of the frames.

    Returns:
        (2, cells) squared 8-bit levels: step times whole way, and way of the four times whole way.
    """
    height, width = six[0].shape
    size = max(1, width // STEP_SCALE), max(1, height // STEP_SCALE)
    small = [cv2.resize(one, size, interpolation=cv2.INTER_AREA).astype(np.float32) for one in six]
    step, way, whole = (small[3 + far] - small[2 - far] for far in range(3))
    cells = [cv2.resize(one * whole, CELLS, interpolation=cv2.INTER_AREA).ravel() for one in (step, way)]
    return np.asarray(cells, np.float32)


@dataclass(frozen=True)
class Apart:
    """One phase of a period that does nothing, and how far it stands apart from the others.

    Attributes:
        period: frames.
        phase: of the frames that repeat, 0 to period - 1.
        nothing: what its frames do, over the mean of all.
        others: what those of the phase that does least besides do.
    """

    period: int
    phase: int
    nothing: float
    others: float

    @property
    def contrast(self) -> float:
        """How far apart."""
        return self.others - self.nothing


def told_together(parts: npt.NDArray[np.float32], displacement: Curve) -> tuple[float, int, int] | None:
    """(confidence, period, phase) of a cadence, by the phase that stands out most; None where none does.

    Args:
        parts: (N, 2, cells) of a shot, as from `parts_done`; NaN where the frames for that are not there.
        displacement: (N,) squared 8-bit levels of each change that one displacement of the picture explains; NaN
            likewise.
    """
    curves = []
    if (~np.isnan(parts).any(axis=(1, 2))).any():
        curves.append(most_moving(parts))
    if (seen := ~np.isnan(displacement)).any():
        curves.append((displacement, np.where(seen, displacement[seen].mean(), displacement)))
    found = [one for pair in curves for period in PERIODS if (one := _apart(*pair, period)) is not None]
    if not found:
        return None
    best = max(found, key=lambda one: one.contrast)
    return 1.0 - max(0.0, best.nothing) / best.others, best.period, best.phase


def most_moving(parts: npt.NDArray[np.float32]) -> tuple[Curve, Curve]:
    """(N,) each: what is done and what there was to do, in the cells where most goes on over the whole shot.

    Args:
        parts: (N, 2, cells) as from `parts_done`; NaN where the frames for that are not there, but not everywhere.
    """
    known = ~np.isnan(parts).any(axis=(1, 2))
    total = parts[known, 1].sum(axis=0)
    count = max(1, round(MOVING_SHARE * total.size))
    moving = np.argpartition(total, -count)[-count:]
    return parts[:, 0][:, moving].sum(axis=1), parts[:, 1][:, moving].sum(axis=1)


def _apart(done: Curve, whole: Curve, period: int) -> Apart | None:
    """The phase that does nothing while all others do something, more than chance would have it."""
    start = int(np.argmin(np.isnan(done)))
    stop = start + (len(done) - start) // period * period
    table = np.stack([curve[start:stop].reshape(-1, period).astype(np.float64) for curve in (done, whole)])
    table = table[:, ~np.isnan(table).any(axis=(0, 2))]
    if table.shape[1] < FEWEST_PERIODS or table[1].mean(axis=0).min() < LEAST_WAY * table[1].mean():
        return None
    shares = _shares(table)
    phase, least = (start + int(shares.argmin())) % period, np.sort(shares)
    if least[0] >= NOTHING or least[1] <= SOMETHING or _as_far_by_chance(table, least[1] - least[0]) > CHANCE:
        return None
    return Apart(period, phase, float(least[0]), float(least[1]))


def _shares(table: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """(period,) what the frames at each phase do over what there was to do."""
    done, whole = table.sum(axis=1)
    return np.asarray(done / np.maximum(whole, 1e-6 * max(1e-6, float(whole.mean()))))


def _as_far_by_chance(table: npt.NDArray[np.float64], contrast: float) -> float:
    """Share of the deals in which one phase stands as far apart."""
    times = 0
    for one in dealt_anew(table):
        least = np.sort(_shares(one))
        times += least[1] - least[0] >= contrast
    return times / DEALS


def dealt_anew(table: npt.NDArray[np.float64]) -> Iterator[npt.NDArray[np.float64]]:
    """Tables of (curves, periods, period) whose frames are dealt anew within each period, all curves alike."""
    rng = np.random.default_rng(SEED)
    dealt = np.broadcast_to(np.arange(table.shape[2]), table.shape[1:])
    for _ in range(DEALS):
        order = np.broadcast_to(rng.permuted(dealt, axis=1), table.shape)
        yield np.take_along_axis(table, order, axis=2)
