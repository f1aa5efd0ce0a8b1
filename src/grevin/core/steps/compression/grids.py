"""The grids of a shot, in brightness and in colour."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from grevin.core.measure.blocks import Grid, Profile, grids_of, nearness, steps_across
from grevin.core.measure.sampling import spread_over
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import levels_of
from grevin.core.progress import Progress
from grevin.core.steps.seen import Arrays

Grids = list[tuple[Grid, Grid]]  # (across, down) in brightness and in colour

LOOKED_AT = 16  # frames of a shot: a grid stands still
KINDS = 2  # brightness, colour
LEAST_SIDE_PX = 4  # of a plane in which steps can be told
LEAST_STEP, WHOLE_STEP = 0.2, 0.6  # 8-bit levels over the borders of blocks, from which some and all is taken


def measured(frames: range, frame: Callable[[int], Frame], progress: Progress) -> Arrays:
    """(KINDS, 2, 4): period, offset, clearness and step across and down, in pixels of the planes and levels."""
    chosen = spread_over(frames, LOOKED_AT)
    progress.begin(len(chosen), "Looking for the blocks of a codec")
    profiles: list[list[tuple[Profile, Profile]]] = [[] for _ in range(KINDS)]
    for number in chosen:
        for kind, picture in _looked_at(frame(number)):
            if min(picture.shape) >= LEAST_SIDE_PX:
                profiles[kind].append((steps_across(picture), steps_across(np.ascontiguousarray(picture.T))))
        progress.advance()
    grids = np.zeros((KINDS, 2, 4))
    for kind, found in enumerate(profiles):
        if found:
            pair = grids_of(*(np.mean(axis, axis=0) for axis in zip(*found, strict=True)))
            grids[kind] = [[one.period, one.offset, one.clearness, one.step] for one in pair]
    return {"grids": grids}


def _looked_at(frame: Frame) -> Iterator[tuple[int, np.ndarray]]:
    """(kind, (H, W) uint8) of what is to be looked at."""
    fmt = frame.format
    planes = levels_of(frame)
    colours = planes[1:] if fmt.model == "yuv" else []
    for kind, group in enumerate(([planes[1] if fmt.model == "rgb" else planes[0]], colours)):
        for plane in group:
            yield kind, np.clip(np.rint(plane), 0, 255).astype(np.uint8)


def grids_in(study: Arrays) -> Grids:
    """(across, down) in brightness and in colour."""
    return [tuple(Grid(*map(float, one)) for one in pair) for pair in study["grids"]]  # type: ignore[misc]


def step_of(pair: tuple[Grid, Grid]) -> float:
    """Mean step over the borders of both ways, 8-bit levels; none where no grid is known."""
    return (pair[0].step + pair[1].step) / 2


def share_of(pair: tuple[Grid, Grid]) -> float:
    """0..1, which part of what the network takes for residue is taken: less where the blocks hardly show.

    Finely coded pictures hold little residue and much that looks like it. Set on stills that scikit-image ships: below
    the least step they came out worse than they were, above the other none did.
    """
    return float(np.clip((step_of(pair) - LEAST_STEP) / (WHOLE_STEP - LEAST_STEP), 0.0, 1.0))


def near_borders(grid: Grid, length: int) -> np.ndarray:
    """(length,) for the network: how near each pixel lies to a border, -1 where nothing is known of any."""
    return nearness(length, grid.offset, grid.period) if grid else np.full(length, -1.0, np.float32)
