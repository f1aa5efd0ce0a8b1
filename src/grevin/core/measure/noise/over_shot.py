"""The noise of a shot, from pairs of neighbouring frames spread over it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.boxes import judged
from grevin.core.measure.noise.model import model_of, packed
from grevin.core.measure.noise.pairs import Samples, samples_of
from grevin.core.measure.noise.renewal import Differences, Renewed, differences, every, renewed, split
from grevin.core.measure.one_light import in_usual_light
from grevin.core.motion.flow import Flow, Luma8
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame, Mask
from grevin.core.progress import Progress

MOST_PAIRS = 16  # of a shot
USUAL_PERCENT = 90  # of the pairs: where noise stands, few show two kinds of it
HELD_SHARE = 0.5  # of the usual noise: frames that differ by less show one capture twice, or noise that stands still


def measured(
    frames: range,
    frame: Callable[[int], Frame | None],
    flow: Callable[[int], Flow],
    seen: Callable[[int], Mask | None],
    progress: Progress,
    renews: int = 0,
) -> dict[str, npt.NDArray[Any]]:
    """The noise of a shot, as `measure.noise.model.packed`, and on which frames of it the noise is new (`renewed`).

    Args:
        frames: of the shot.
        frame: one of them; None where there is none to look at.
        flow: motion from one of them to the next.
        seen: where a person wants one of them measured; None for everywhere.
        progress: one unit a pair.
        renews: after how many frames the noise is new, where a person says so; 0 where it is to be found.
    """

    def luma(number: int) -> Luma8 | None:
        picture = frame(number)
        return None if picture is None else picture.luma8()

    def samples_on(firsts: list[int]) -> list[Samples]:
        return _samples(frames, firsts, frame, flow, seen, progress)

    apart = differences(frames, luma, progress) if renews != 1 and len(frames) > 1 else np.full(len(frames), np.nan)
    new = every(apart, renews) if renews > 1 else None
    limit = split(apart) if new is None else None
    if limit is not None:
        new = _confirmed(apart, samples_on(_spread(_over_a_border(frames, apart > limit))))
    firsts = _spread(list(frames[:-1]) if new is None else _over_a_border(frames, new))
    model = model_of(_renewed(samples_on(firsts)))
    return {
        **packed(model),
        "renewed": np.ones(len(frames), np.bool_) if new is None else new,
        "boxes": _boxes(frames, frame, seen),
    }


def _boxes(
    frames: range, frame: Callable[[int], Frame | None], seen: Callable[[int], Mask | None]
) -> npt.NDArray[np.float64]:  # fmt: skip
    """What the places are like that a person drew, on the first frame where there are some."""
    for number in frames:
        mask = seen(number)
        if mask is not None and mask.any() and (picture := frame(number)) is not None:
            return judged(mask, picture)
        if mask is None:
            break  # everywhere
    return np.zeros((0, 11))


def _confirmed(apart: Differences, samples: list[Samples]) -> Renewed | None:
    model = model_of(samples)
    return None if model is None else renewed(apart, model.typical**2)


def _samples(
    frames: range, firsts: list[int], frame: Callable[[int], Frame | None], flow: Callable[[int], Flow],
    seen: Callable[[int], Mask | None], progress: Progress,
) -> list[Samples]:  # fmt: skip
    progress.begin(len(firsts), "Measuring noise")
    found: list[Samples] = []

    def look(number: int) -> Samples | None:
        here, there = frame(number), frame(number + 1)
        after = frame(number + 2) if number + 2 in frames else None
        return None if here is None or there is None else samples_of(here, there, flow(number), seen(number), after)

    for samples in in_parallel(look, firsts):
        found += [samples] if samples is not None else []
        progress.advance()
    return found


def _over_a_border(frames: range, new: Renewed) -> list[int]:
    """First frames of pairs whose second has noise of its own."""
    return [frames[int(place) - 1] for place in np.flatnonzero(new) if place > 0]


def _spread(firsts: list[int]) -> list[int]:
    """Some of the first frames of pairs, evenly over a shot."""
    if not firsts:
        return []
    places = np.unique(np.linspace(0, len(firsts) - 1, min(len(firsts), MOST_PAIRS)).astype(int))
    return [firsts[int(place)] for place in places]


def _renewed(samples: list[Samples]) -> list[Samples]:
    """Without pairs whose light changed most, and those that show the same noise twice."""
    if not samples:
        return samples
    steady = in_usual_light([one.light for one in samples])
    samples = [one for one, usual in zip(samples, steady, strict=True) if usual]
    sizes = np.array([float(np.sqrt(np.median(one.power[one.plain, 0].mean(axis=(1, 2))))) for one in samples])
    usual = float(np.percentile(sizes, USUAL_PERCENT))
    return [one for one, size in zip(samples, sizes, strict=True) if size > HELD_SHARE * usual]
