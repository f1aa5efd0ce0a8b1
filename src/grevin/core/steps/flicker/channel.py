"""The light of the frames of a shot in one channel, and what of it flickers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.curves import FOOT, PairTable, compared_levels, solved, terms
from grevin.core.measure.lighting.trend import Trend, taken_apart
from grevin.core.steps.flicker.settings import FlickerSettings

Values = npt.NDArray[np.float64]

LEVELS = 8  # places of the scale at which a curve of light is looked at
REACH_BEYOND = 0.25  # of the range of log light that curves are fitted over: as far they go on beyond it
ASTRAY = 0.7  # of log light by which a colour may depart from brightness: a factor of two, far above what lamps do
MOST_CHANGE = 1.4  # of log light: two stops; a frame that is off by more has nothing to give back


@dataclass(frozen=True, eq=False)
class Solved:
    """What one channel's curves were taken apart into.

    Attributes:
        light: (T, TERMS) log light of each frame.
        line: (T,) the same in 8-bit levels, in the mean over the scale.
        off: (T,) what of it flickers.
        flicker: (T, TERMS) what is to be taken from log light.
        trend: of the curve.
        rms: of the flicker, 8-bit levels.
    """

    light: Values
    line: Values
    off: Values
    flicker: Values
    trend: Trend
    rms: float


def solved_channel(
    length: int, table: PairTable, channel: int, settings: FlickerSettings, first: int, luma: Solved | None = None
) -> Solved:  # fmt: skip
    """The flicker of one channel; of a colour beside that of brightness."""
    light, ends = -solved(length, table, channel), compared_levels(length, table, channel)
    levels = _levels(table, channel)
    change = _changes(light, ends, np.tile(levels, (length, 1)))
    if luma is not None:
        inside = np.linspace(*ends, LEVELS, axis=1)
        common = compared_levels(length, table, 0)
        astray = np.abs(_changes(light, ends, inside) - _changes(luma.light, common, inside)).max(axis=1) > ASTRAY
        change[astray] = _changes(luma.light, common, np.tile(levels, (length, 1)))[astray]
    curve = np.clip(change, -MOST_CHANGE, MOST_CHANGE) * (levels + FOOT)
    period = {0: -1, 1: 0}.get(settings.period_frames, settings.period_frames)
    trend = taken_apart(curve, settings.smoothing_frames, period)
    kept: Values = trend.slow
    reference = [n - first for n in settings.reference_frames if 0 <= n - first < length]
    if reference:
        kept = np.broadcast_to(curve[reference].mean(axis=0), curve.shape)
    off = curve - kept
    flicker: Values = np.linalg.lstsq(terms(levels), (off / (levels + FOOT)).T, rcond=None)[0].T.astype(np.float64)
    rms = float(np.sqrt(np.mean(np.square(off))))
    return Solved(light, curve.mean(axis=1), off.mean(axis=1), flicker, trend, rms)


def _levels(table: PairTable, channel: int) -> Values:
    """(LEVELS,) places of the scale at which a channel was compared."""
    return np.asarray(np.quantile(table.levels[:, channel, :, 0], np.linspace(0.05, 0.95, LEVELS)))


def reach_of(table: PairTable, channel: int) -> npt.NDArray[np.float32]:
    """(2,) lowest and highest level for which a channel's curves stand.

    Those that were compared, and not far beyond the places that the curves were fitted at: of a colour that is nearly
    black all over, a few bright places say nothing, and a curve might do anything with them.
    """
    compared = table.levels[:, channel, (0, -1), 0]
    fitted = np.log(_levels(table, channel)[[0, -1]] + FOOT)
    room = REACH_BEYOND * (fitted[1] - fitted[0])
    low, high = np.exp(fitted + np.array([-room, room])) - FOOT
    return np.array([max(compared[:, 0].min(), low), min(compared[:, 1].max(), high)], np.float32)


def _changes(light: Values, ends: tuple[Values, Values], levels: Values) -> Values:
    """(T, L) log changes of levels, (T, L), by the light of each frame; beyond what was compared as at its end."""
    met = np.clip(levels, ends[0][:, None], ends[1][:, None])
    return np.asarray(np.einsum("tk,tlk->tl", light, terms(met)))
