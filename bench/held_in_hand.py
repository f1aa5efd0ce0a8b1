"""Repeats on a camera held in hand: its way stops and turns back, and no frame is lost for that.

Photographs, a way whose speed is drawn anew and dies away, with and without frames that are shown again.
"""

from __future__ import annotations

from fractions import Fraction
from functools import partial
from itertools import product
from typing import Any

import numpy as np
import numpy.typing as npt

from bench.camera_moves import pointed_at
from bench.clips import CLIPS, Clip, clip_path
from bench.groups import GROUP_OF
from bench.repeating import CARRIERS, LENGTH, fitted, order_of
from bench.survey import carried, source_of
from bench.timing import chain_of
from grevin.core.parallel import in_parallel

ROUND = 14  # raised after rules were set on the last
SPEEDS = (0.1, 0.3, 0.8)  # standard deviation of what a frame adds to the speed, px
KEPT_SPEED, KEPT_PLACE = 0.75, 0.98  # from one frame to the next: a hand comes back
CODED = {"h264 crf 18", "h264 crf 23", "h264 crf 28", "mpeg2", "mpeg4"}


def measure_hands() -> tuple[list[dict[str, Any]], dict[str, float]]:
    """Per group: frames lost in a hundred, as filmed or with noise and through codecs; recall of real repeats."""
    figures: dict[str, float] = {}
    for group in ("rules", "reports"):
        photographs = [clip for clip in CLIPS if clip.move is not None and GROUP_OF[clip.name] == group]
        jobs = list(product(photographs, SPEEDS, CARRIERS))
        told = list(in_parallel(partial(_told_of, jobs), range(len(jobs))))
        for kind, coded in (("", False), ("_coded", True)):
            chosen = [one for (_, _, carrier), one in zip(jobs, told, strict=True) if (carrier in CODED) == coded]
            lost, right, all_repeats = (sum(values) for values in zip(*chosen, strict=True))
            figures[f"hand_lost_of_100{kind}_{group}"] = 100 * lost / (2 * LENGTH * len(chosen))
            figures[f"hand_repeats_recall{kind}_{group}"] = right / all_repeats
    return [], figures


def _told_of(jobs: list[tuple[Clip, float, str]], number: int) -> tuple[int, int, int]:
    """Frames lost, repeats found, and all repeats, of a run without repeats and of one with."""
    clip, speed, carrier = jobs[number]
    rng = np.random.default_rng((ROUND, round(100 * speed), *clip.name.encode(), *carrier.encode()))
    run = [fitted(luma) for luma in pointed_at(clip_path(clip), _way(rng, speed))]
    lost, right, there = 0, 0, 0
    for pattern in ("none", "random"):
        order = order_of(pattern, LENGTH, rng)
        shown = carried([run[place] for place in order], carrier, rng)
        found = set(chain_of(source_of(shown, clip.name, Fraction(25)), "repeats", {}).timeline.left_out().tolist())
        repeats = {n for n in range(1, LENGTH) if order[n] == order[n - 1]}
        lost, right, there = lost + len(found - repeats), right + len(found & repeats), there + len(repeats)
    return lost, right, there


def _way(rng: np.random.Generator, speed: float) -> npt.NDArray[np.float64]:
    """(LENGTH, 2) px, where the camera points."""
    moving, place, way = np.zeros(2), np.zeros(2), []
    for _ in range(LENGTH):
        moving = KEPT_SPEED * moving + rng.normal(0.0, speed, 2)
        place = KEPT_PLACE * place + moving
        way.append(place)
    return np.array(way)
