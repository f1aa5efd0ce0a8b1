"""The noise of a shot, from pairs of neighbouring frames spread over it."""

from __future__ import annotations

from functools import partial

import numpy as np

from grevin.core.measure.noise.model import model_of, packed
from grevin.core.measure.noise.pairs import Samples, samples_of
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress
from grevin.core.steps.seen import Arrays, Shotwise

MOST_PAIRS = 16  # of a shot
HELD_SHARE = 0.5  # of the usual noise: frames that differ by less show one capture twice, or noise that stands still


def measured(shot: Shotwise, progress: Progress) -> Arrays:
    """The noise of a shot, as `measure.noise.model.packed`."""
    firsts = _firsts(shot.frames)
    progress.begin(len(firsts), "Measuring noise")
    found: list[Samples] = []
    for samples in in_parallel(partial(_samples, shot), firsts):
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


def _samples(shot: Shotwise, number: int) -> Samples | None:
    window = shot.window(number)
    return samples_of(window.frame(), window.frame(1), window.motion(1, "steady"))


def _renewed(samples: list[Samples]) -> list[Samples]:
    """Without pairs that show the same noise twice."""
    if not samples:
        return samples
    sizes = np.array([float(np.sqrt(np.median(one.power[one.plain, 0].mean(axis=(1, 2))))) for one in samples])
    usual = float(np.percentile(sizes, 75))
    return [one for one, size in zip(samples, sizes, strict=True) if size > HELD_SHARE * usual]
