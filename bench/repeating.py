"""Repeats: frames shown again in known patterns, through codecs and noise, taken out by `repeats`."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from bench.clips import CLIPS, long_run
from bench.groups import GROUP_OF
from bench.survey import SIZE, carried, f_measure, same_picture, source_of
from bench.timing import chain_of
from grevin.core.parallel import in_parallel

Luma = npt.NDArray[np.uint8]

ROUND = 86  # raised after rules were set on the last
LENGTH = 60
PATTERNS = ("none", "random", "2:2", "5 in 6", "4 in 5", "freeze 5", "freeze 9")
CARRIERS = (
    "exact", "h264 crf 18", "fresh noise", "h264 crf 23", "mpeg4", "noise 5", "h264 crf 28", "mpeg2",
)  # fmt: skip
EACH = 3  # carriers a clip and pattern: in turn, so that every one meets every pattern
PERIODS = {"2:2": 2, "5 in 6": 6, "4 in 5": 5}


@dataclass(frozen=True)
class Told:
    """What was found of a run: its clip and pattern, counts, whether the rate came out right.

    The rate is None where the clip itself holds pictures: its true rate is not known.
    """

    clip: str
    pattern: str
    right: int
    false: int
    missed: int
    named: bool | None


def measure_repeats() -> tuple[list[dict[str, Any]], dict[str, float]]:
    """Precision, recall and F of both groups; frames lost where nothing repeats; cadences named."""
    told: list[Told] = []
    for place, clip in enumerate(clip for clip in CLIPS if clip.move is None or clip.move.held == 1):
        run = [fitted(frame.luma8()) for frame in long_run(clip, LENGTH)]
        jobs = [
            (pattern, CARRIERS[(place + EACH * turn + n) % len(CARRIERS)])
            for turn, pattern in enumerate(PATTERNS)
            for n in range(EACH)
        ]
        told += in_parallel(partial(_told_of, clip.name, run, jobs), range(len(jobs)))
    figures: dict[str, float] = {}
    for group in ("rules", "reports"):
        chosen = [one for one in told if GROUP_OF[one.clip] == group]
        right, false, missed = (sum(getattr(one, name) for one in chosen) for name in ("right", "false", "missed"))
        figures[f"repeats_precision_{group}"] = right / max(1, right + false)
        figures[f"repeats_recall_{group}"] = right / max(1, right + missed)
        figures[f"repeats_f_{group}"] = f_measure(right, false, missed)
        names = {one.clip for one in chosen}
        figures[f"repeats_f_{group}_worst"] = min(_f_of([one for one in chosen if one.clip == name]) for name in names)
        figures[f"repeats_lost_on_plain_{group}"] = sum(one.false for one in chosen if one.pattern == "none")
        figures[f"cadences_right_{group}"] = float(np.mean([one.named for one in chosen if one.named is not None]))
    figures["repeats_f_reports_less_rules"] = figures["repeats_f_reports"] - figures["repeats_f_rules"]
    return [], figures


def fitted(luma: Luma) -> Luma:
    """Brought to the size of all runs."""
    return np.asarray(cv2.resize(luma, SIZE, interpolation=cv2.INTER_AREA), np.uint8)


def _told_of(clip: str, run: list[Luma], jobs: list[tuple[str, str]], number: int) -> Told:
    return _tell(clip, run, *jobs[number])


def _f_of(told: list[Told]) -> float:
    return f_measure(*(sum(getattr(one, name) for one in told) for name in ("right", "false", "missed")))


def _tell(clip: str, run: list[Luma], pattern: str, carrier: str) -> Told:
    rng = np.random.default_rng((ROUND, *clip.encode(), *pattern.encode(), *carrier.encode()))
    order = order_of(pattern, len(run), rng)
    clean = [run[place] for place in order]
    repeats = {n for n in range(1, len(order)) if order[n] == order[n - 1]}
    own = {n for n in range(1, len(order)) if n not in repeats and same_picture(clean[n - 1], clean[n])}
    rate = Fraction(30) if pattern == "4 in 5" else Fraction(30000, 1001) if pattern == "5 in 6" else Fraction(25)
    timeline = chain_of(source_of(carried(clean, carrier, rng), clip, rate), "repeats", {}).timeline
    found = set(timeline.left_out().tolist()) - own
    period = PERIODS.get(pattern)
    wanted = rate * (period - 1) / period if period else None
    named = timeline.rate == wanted if wanted else bool(timeline.rate == rate or pattern != "none")
    told = None if own else named
    return Told(clip, pattern, len(found & repeats), len(found - repeats), len(repeats - found), told)


def order_of(pattern: str, available: int, rng: np.random.Generator) -> list[int]:
    """Which picture each frame shows."""
    order, at = [0], 0
    for frame in range(1, LENGTH):
        again = {
            "none": False, "random": bool(rng.random() < 0.1), "2:2": frame % 2 == 1, "5 in 6": frame % 6 == 5,
            "4 in 5": frame % 5 == 4, "freeze 5": 20 <= frame < 24, "freeze 9": 20 <= frame < 28,
        }[pattern]  # fmt: skip
        at += not again
        if at >= available:
            break
        order.append(at)
    return order
