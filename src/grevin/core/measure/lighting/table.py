"""All pairs of frames of a shot, measured once: what curves, fields and bands of light are solved from."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.curves import PairTable
from grevin.core.measure.lighting.pairs import DISTANCES, SmallPicture, matched_levels, pair_of
from grevin.core.measure.lighting.patches import BlockTable, block_facts
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress

Arrays = dict[str, npt.NDArray[np.generic]]

CHUNK = 64  # frames looked at together: memory does not grow with the shot


def measured(frames: range, small: Callable[[int], SmallPicture], progress: Progress) -> Arrays:
    """Measure the pairs of a shot.

    Args:
        frames: of the shot.
        small: a frame as it is looked at.
        progress: one unit a frame.

    Returns:
        "first", "second": (P,) frames of each pair, counted from the shot's first; "levels": (P, 4, K, 2) float16;
        "ratio", "level": (P, h, w); "flow": (P, h, w, 2); "clipped": (T,) share of clipped white.
    """
    progress.begin(len(frames), "Comparing the light of frames")
    rows: dict[str, list[npt.NDArray[np.generic]]] = {
        name: [] for name in ("first", "second", "levels", "ratio", "level", "flow")
    }
    clipped: list[float] = []
    for start, pictures, fresh in _chunks(frames, small):
        clipped += [picture.clipped for picture in pictures[len(pictures) - fresh :]]
        pairs = _pairs_that_end(len(pictures), fresh)
        facts = in_parallel(partial(_facts, pictures, pairs), range(len(pairs)))
        for (one, other), found in zip(pairs, facts, strict=True):
            if found is None:
                continue
            for name, value in zip(rows, (np.int64(start + one), np.int64(start + other), *found), strict=True):
                rows[name].append(np.asarray(value))
        progress.advance(fresh)
    arrays: Arrays = {name: np.stack(values) if values else np.zeros(0) for name, values in rows.items()}
    arrays["clipped"] = np.array(clipped, np.float32)
    return arrays


def _chunks(frames: range, small: Callable[[int], SmallPicture]) -> Iterator[tuple[int, list[SmallPicture], int]]:
    """(number of the first, pictures, how many of them are new), with those that new pairs reach back to."""
    held: list[SmallPicture] = []
    for first in range(0, len(frames), CHUNK):
        fresh = list(in_parallel(small, frames[first : first + CHUNK]))
        held = [*held[-DISTANCES[-1] :], *fresh]
        yield first + len(fresh) - len(held), held, len(fresh)


def _pairs_that_end(count: int, fresh: int) -> list[tuple[int, int]]:
    """Places in a chunk of pairs whose later frame is new."""
    return [(last - away, last) for last in range(count - fresh, count) for away in DISTANCES if last >= away]


def _facts(
    pictures: list[SmallPicture], pairs: list[tuple[int, int]], number: int
) -> tuple[npt.NDArray[np.generic], ...] | None:
    here, there = (pictures[place] for place in pairs[number])
    seen = pair_of(here, there)
    levels = matched_levels(here, seen)
    if levels is None:
        return None
    ratio, level, flow = block_facts(here, seen)
    return levels.astype(np.float16), ratio.astype(np.float16), level.astype(np.float16), flow.astype(np.float16)


def pair_table(arrays: Arrays) -> PairTable:
    """The levels of whole frames."""
    return PairTable(arrays["first"], arrays["second"], arrays["levels"].astype(np.float32))  # type: ignore[arg-type]


def block_table(arrays: Arrays, frames: range) -> BlockTable:
    """The light of blocks, of the pairs inside a run of frames; frames are counted from the first of them."""
    inside = (arrays["first"] >= frames.start) & (arrays["second"] < frames.stop)  # type: ignore[operator]
    ratio, level, flow = (arrays[name][inside].astype(np.float32) for name in ("ratio", "level", "flow"))
    first, second = (arrays[name][inside].astype(np.int64) - frames.start for name in ("first", "second"))
    return BlockTable(first, second, ratio, level, flow)
