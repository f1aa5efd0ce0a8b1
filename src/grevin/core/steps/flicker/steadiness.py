"""Where the light of a shot can be told from that of a fade, and what is new on every frame there."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.steps.flicker.channel import Solved
from grevin.core.steps.flicker.words import LEAST_LEVELS

Values = npt.NDArray[np.float64]

CALM_SHARE, CALM_QUANTILE = 0.25, 0.3186  # a quarter of a normal distribution lies within so many of its deviations
STEEP_LEVELS = 3.0  # a frame, by which the scene's own light goes in a fade: its curves are told worse than that
MET_TIMES = 3.0  # what is new on every frame, by which three frames in a row are hardly ever off to one side
UNSTEADY_ROOM = 2  # frames beside a fade, whose curves and blocks it draws along
MAD_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution


def steadiness_of(found: Solved) -> Values:
    """(T,) 0..1, how far each frame's light can be told from that of a fade.

    Not at all where the scene's own light goes fast, nor where that is not met: several frames in a row are off to the
    same side by more than what is new on every frame explains, as where a fade turns back. Nor beside such frames.
    """
    steps = np.abs(np.diff(found.line - found.off, prepend=np.nan, append=np.nan))
    steps[list(found.trend.steps)] = 0.0  # a lamp is switched there, and nothing fades
    steepest = np.fmax(steps[:-1], steps[1:])
    off = found.off - found.trend.periodic.mean(axis=1)
    together = np.pad(np.abs(np.median(np.lib.stride_tricks.sliding_window_view(off, 3), axis=1)), 1, "edge")
    met = together <= MET_TIMES * max(LEAST_LEVELS, new_on_every_frame(found))
    steady = np.clip(2.0 - steepest / STEEP_LEVELS, 0.0, 1.0) * met
    around = np.lib.stride_tricks.sliding_window_view(np.pad(steady, UNSTEADY_ROOM, "edge"), 2 * UNSTEADY_ROOM + 1)
    return np.asarray(around.min(axis=1))


def new_on_every_frame(found: Solved, told: npt.NDArray[np.bool_] | slice = slice(None)) -> float:
    """8-bit levels, standard deviation of what second differences say at the frames that are told."""
    return MAD_TO_SIGMA * float(np.median(np.abs(_seconds(found)[told]))) / float(np.sqrt(6.0))


def _seconds(found: Solved) -> Values:
    """(T - 2,) second differences of the light, without what comes back."""
    line = found.line - found.trend.periodic.mean(axis=1)
    return np.asarray(line[2:] - 2 * line[1:-1] + line[:-2])


def told_by(steadiness: Values) -> npt.NDArray[np.bool_]:
    """(T - 2,) frames whose light against that of both beside tells flicker: no fade goes on there."""
    calm = steadiness == 1.0
    return np.asarray(calm[2:] & calm[1:-1] & calm[:-2])


def calm_of(found: Solved) -> float:
    """8-bit levels, what is new on every frame by the calmest quarter of them, which flashes are not in."""
    return float(np.quantile(np.abs(_seconds(found)), CALM_SHARE)) / CALM_QUANTILE / float(np.sqrt(6.0))
