"""A found scratch as a person would draw it: few points down the picture, and key frames where it wanders."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.steps.scratch.lines import line_at, lines_of_track, track_at
from grevin.core.steps.scratch.settings import ScratchSettings
from grevin.core.steps.seen import Arrays

POINTS = 5  # down a scratch: what it bends over the height of a frame is slow
OFF_PX, OFF_ROWS = 0.5, 8.0  # across and down, by which it may lie off where it was found for want of a key frame

Points = npt.NDArray[np.float64]  # (POINTS, 2), x and y down a scratch; pixel i reaches from i to i + 1
Course = dict[int, Points]  # on its key frames, among them the first and the last one on which it was found


def course_at(
    study: Arrays, number: int, area: Area, size: tuple[int, int], settings: ScratchSettings
) -> Course:  # fmt: skip
    """The course of the scratch that lies in an area of a frame; nothing where none was found there.

    For the arguments see `lines.track_at`.
    """
    track = track_at(study, number, area, size, settings)
    if track is None:
        return {}
    found: Course = {}
    for at in lines_of_track(study, track):
        line = line_at(study, at, size[0])
        rows = np.linspace(line.top, line.top + len(line.centre) - 1, POINTS)
        found[int(study["frame"][at])] = np.stack([np.interp(rows, line.rows, line.centre), rows], axis=1) + 0.5
    frames = sorted(found)
    ways = np.array([found[frame] for frame in frames])
    return {frames[at]: ways[at] for at in _needed(np.array(frames), ways)}


def width_at(mask: Mask, area: Area) -> float:
    """Px across that are mended of the scratch in an area of the evidence, the median of its rows; 0 for none.

    Args:
        mask: (H, W) bool of the evidence.
        area: of the scratch.
    """
    x, y, width, height = area
    counts = np.count_nonzero(mask[max(0, y) : y + height, max(0, x) : x + width], axis=1)
    return float(np.median(counts[counts > 0])) if counts.any() else 0.0


def _needed(frames: npt.NDArray[np.int64], ways: npt.NDArray[np.float64]) -> list[int]:
    """Places of the frames that have to be key frames, so that no other lies off the line between two of them.

    The farthest one is taken until none is too far (Ramer 1972; Douglas and Peucker 1973).
    """
    needed, open_runs = {0, len(frames) - 1}, [(0, len(frames) - 1)]
    while open_runs:
        first, last = open_runs.pop()
        if last - first < 2:
            continue
        share = ((frames[first : last + 1] - frames[first]) / (frames[last] - frames[first]))[:, None, None]
        between = (1 - share) * ways[first] + share * ways[last]
        off = (np.abs(ways[first : last + 1] - between) / (OFF_PX, OFF_ROWS)).max(axis=(1, 2))
        farthest = first + int(np.argmax(off))
        if off.max() > 1:
            needed.add(farthest)
            open_runs += [(first, farthest), (farthest, last)]
    return sorted(needed)
