"""All pairs of frames of a shot, measured once: what curves, fields and bands of light are solved from."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.curves import PairTable
from grevin.core.measure.lighting.over_pairs import over_pairs
from grevin.core.measure.lighting.pairs import DISTANCES, Pair, SmallPicture, matched_levels
from grevin.core.measure.lighting.patches import ACROSS, BlockTable, block_facts
from grevin.core.progress import Progress

Arrays = dict[str, npt.NDArray[np.generic]]


def measured(
    frames: range, small: Callable[[int], SmallPicture], progress: Progress, across: int = ACROSS
) -> Arrays:  # fmt: skip
    """Measure the pairs of a shot.

    Args:
        frames: of the shot.
        small: a frame as it is looked at.
        progress: one unit a frame.
        across: blocks across the picture, about.

    Returns:
        "first", "second": (P,) frames of each pair, counted from the shot's first; "levels": (P, 4, K, 2) float16;
        "ratio", "level": (P, h, w); "flow": (P, h, w, 2); "unsure": (P, 2) 8-bit levels that noise makes the mean of a
        frame and that of a block uncertain by; "clipped": (T,) share of clipped white.
    """
    progress.begin(len(frames), "Comparing the light of frames")
    rows: dict[str, list[npt.NDArray[np.generic]]] = {
        name: [] for name in ("first", "second", "levels", "ratio", "level", "flow", "unsure")
    }
    clipped: dict[int, float] = {}

    def looked_at(number: int) -> SmallPicture:
        picture = small(number)
        clipped[number] = picture.clipped
        return picture

    for first, second, facts in over_pairs(frames, looked_at, DISTANCES, partial(_facts, across), progress):
        if facts is not None:
            for name, value in zip(rows, (np.int64(first), np.int64(second), *facts), strict=True):
                rows[name].append(np.asarray(value))
    arrays: Arrays = {name: np.stack(values) if values else np.zeros(0) for name, values in rows.items()}
    arrays["clipped"] = np.array([clipped[number] for number in frames], np.float32)
    return arrays


def _facts(across: int, here: SmallPicture, pair: Pair) -> tuple[npt.NDArray[np.generic], ...] | None:
    levels = matched_levels(here, pair)
    if levels is None:
        return None
    ratio, level, flow = block_facts(here, pair, across)
    block = here.levels[0].size / level.size
    unsure = np.array([pair.unsure(float(pair.same.sum())), pair.unsure(block)], np.float32)
    return *(one.astype(np.float16) for one in (levels, ratio, level, flow)), unsure


def pair_table(arrays: Arrays) -> PairTable:
    """The levels of whole frames."""
    return PairTable(arrays["first"], arrays["second"], arrays["levels"].astype(np.float32))  # type: ignore[arg-type]


def block_table(arrays: Arrays, frames: range) -> BlockTable:
    """The light of blocks, of the pairs inside a run of frames; frames are counted from the first of them."""
    inside = (arrays["first"] >= frames.start) & (arrays["second"] < frames.stop)  # type: ignore[operator]
    ratio, level, flow = (arrays[name][inside].astype(np.float32) for name in ("ratio", "level", "flow"))
    first, second = (arrays[name][inside].astype(np.int64) - frames.start for name in ("first", "second"))
    return BlockTable(first, second, ratio, level, flow)
