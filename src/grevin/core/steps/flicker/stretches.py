"""The stretches of a shot that are studied each by itself: what lies between its fades, and hangs together.

A frame that is nearly black says nothing of bright levels, and draws the level that all frames are brought to down to
its own: solved with it, flicker of the whole shot is told too weak (docs/decisions/062).
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import numpy.typing as npt
from scipy.ndimage import median_filter

from grevin.core.measure.lighting.curves import PairTable, compared_levels
from grevin.core.measure.lighting.table import Arrays, pair_table
from grevin.core.picture.masks import runs_of
from grevin.core.steps.flicker.channel import solved_channel
from grevin.core.steps.flicker.settings import FlickerSettings
from grevin.core.steps.flicker.steadiness import steadiness_of

SHORTEST_SHOT = 8  # frames; fewer say nothing about flicker
SHORTEST_STRETCH = 24  # frames of a part of a shot: what short ones show by chance is taken for flicker
FULL = 0.8  # of the range of levels that a shot usually shows: flicker of 8 % rms, over five frames, keeps above that
LITTLE = 0.5  # of the same: half of it hardly comes but by fading
NOTHING = 0.1  # of the same: next to black or white, where no scene stays
USUAL_SHOWN = 0.9  # quantile over the frames: a fade may be most of a shot
SHOWN_FRAMES = 5  # over which what is shown is evened out

Values = npt.NDArray[np.float64]
Which = npt.NDArray[np.bool_]


def stretches_of(length: int, arrays: Arrays) -> list[range]:
    """Runs of frames, counted from the shot's first, whose light is told each by itself; none where nothing is told.

    Args:
        length: frames of the shot.
        arrays: of `lighting.table.measured`.
    """
    return [stretch for run in joined_runs(length, arrays) for stretch in _between_fades(arrays, run)]


def joined_runs(length: int, arrays: Arrays) -> list[range]:
    """Runs of frames that pairs join, fades and all: of others nobody knows their light against theirs."""
    spanned = np.zeros(length, np.int64)
    np.add.at(spanned, np.asarray(arrays["first"], np.int64), 1)
    np.add.at(spanned, np.asarray(arrays["second"], np.int64), -1)
    stops = [0, *(np.flatnonzero(np.cumsum(spanned) == 0) + 1).tolist()]
    runs = [range(start, stop) for start, stop in pairwise(stops)]
    return [run for run in runs if len(run) >= (SHORTEST_SHOT if len(run) == length else SHORTEST_STRETCH)]


def part_of(arrays: Arrays, stretch: range) -> Arrays:
    """What was measured inside a stretch; frames are counted from its first."""
    first, second = (np.asarray(arrays[name], np.int64) for name in ("first", "second"))
    inside = (first >= stretch.start) & (second < stretch.stop)
    part = {name: values[inside] for name, values in arrays.items() if name != "clipped"}
    moved = {"first": first[inside] - stretch.start, "second": second[inside] - stretch.start}
    return part | moved | {"clipped": arrays["clipped"][stretch.start : stretch.stop]}


def _between_fades(arrays: Arrays, run: range) -> list[range]:
    """Of a run of frames what is left without its fades; all of it where that is too short to say anything."""
    part = part_of(arrays, run)
    table = pair_table(part)
    steadiness = steadiness_of(solved_channel(len(run), table, 0, FlickerSettings(), 0))
    fades = _fades(_shown(len(run), table), steadiness == 0.0)
    between = [range(run.start + kept.start, run.start + kept.stop) for kept in runs_of(~fades)]
    return [stretch for stretch in between if len(stretch) >= SHORTEST_STRETCH] or [run]


def _shown(length: int, table: PairTable) -> Values:
    """(length,) range of levels that each frame shows, of what is usual outside fades."""
    lowest, highest = compared_levels(length, table, 0)
    shown = np.asarray(median_filter(highest - lowest, SHOWN_FRAMES, mode="nearest"))
    outside = shown >= FULL * float(np.quantile(shown, USUAL_SHOWN))
    return np.asarray(shown / max(1.0, float(np.median(shown[outside]))))


def _fades(shown: Values, unsteady: Which) -> Which:
    """(T,) frames in fades: what shows less than usual around black or white, or goes fast where little is shown.

    The last of a fade cannot be told from what is shown; it is taken to go on as fast as it went before.
    """
    fades = np.zeros(len(shown), np.bool_)
    for run in runs_of(shown < FULL):
        little = run.start + np.flatnonzero(shown[run] < LITTLE)
        if (shown[run] < NOTHING).any():
            rest = (1.0 - FULL) / (FULL - LITTLE)
            before, behind = rest * (little[0] - run.start), rest * (run.stop - 1 - little[-1])
            fades[max(0, run.start - int(np.ceil(before))) : run.stop + int(np.ceil(behind))] = True
    for run in runs_of(unsteady):
        if not fades[run].any():  # what is told of those by how much they show is told more closely
            fades[run] = bool((shown[run] < LITTLE).any())
    return fades
