"""The noise of a shot, from pairs of neighbouring frames spread over it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.model import model_of, packed
from grevin.core.measure.noise.pairs import Samples, samples_of
from grevin.core.motion.flow import Flow
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame, Mask
from grevin.core.progress import Progress

MOST_PAIRS = 16  # of a shot
HELD_SHARE = 0.5  # of the usual noise: frames that differ by less show one capture twice, or noise that stands still


def measured(
    frames: range,
    frame: Callable[[int], Frame | None],
    flow: Callable[[int], Flow],
    seen: Callable[[int], Mask | None],
    progress: Progress,
) -> dict[str, npt.NDArray[Any]]:
    """The noise of a shot, as `measure.noise.model.packed`.

    Args:
        frames: of the shot.
        frame: one of them; None where there is none to look at.
        flow: motion from one of them to the next.
        seen: where a person wants one of them measured; None for everywhere.
        progress: one unit a pair.
    """
    firsts = _firsts(frames)
    progress.begin(len(firsts), "Measuring noise")
    found: list[Samples] = []

    def look(number: int) -> Samples | None:
        here, there = frame(number), frame(number + 1)
        return None if here is None or there is None else samples_of(here, there, flow(number), seen(number))

    for samples in in_parallel(look, firsts):
        found += [samples] if samples is not None else []
        progress.advance()
    return packed(model_of(_renewed(found)))


def _firsts(frames: range) -> list[int]:
    """First frames of pairs, evenly over a shot."""
    pairs = len(frames) - 1
    if pairs < 1:
        return []
    places = np.unique(np.linspace(0, pairs - 1, min(pairs, MOST_PAIRS)).astype(int))
    return [frames.start + int(place) for place in places]


def _renewed(samples: list[Samples]) -> list[Samples]:
    """Without pairs that show the same noise twice."""
    if not samples:
        return samples
    sizes = np.array([float(np.sqrt(np.median(one.power[one.plain, 0].mean(axis=(1, 2))))) for one in samples])
    usual = float(np.percentile(sizes, 75))
    return [one for one, size in zip(samples, sizes, strict=True) if size > HELD_SHARE * usual]
