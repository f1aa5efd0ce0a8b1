"""Judging streaks: a logistic model over their measures two by two, trained by `python -m bench.train_dropout`.

The weights lie in `judge.json` beside this module, those for streaks of colour alone in `judge_colour.json`, with where
they come from.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

from grevin.core.measure.logistic import CrossedModel
from grevin.core.steps.dropout.spikes import Of
from grevin.core.steps.dropout.streaks import FEATURES

WEIGHTS: dict[Of, Path] = {
    "picture": Path(__file__).with_name("judge.json"), "colour": Path(__file__).with_name("judge_colour.json"),
}  # fmt: skip
LEAST_SCORE, MOST_SCORE = -1.5, 2.5  # logarithms of the odds that are asked for at caution 0 and 1


@cache
def shipped(of: Of) -> CrossedModel:
    """The shipped weights for streaks of the picture, or of its colour alone."""
    return CrossedModel.read(WEIGHTS[of], FEATURES)


def asked(caution: float) -> float:
    """The score from which a streak is taken."""
    return LEAST_SCORE + caution * (MOST_SCORE - LEAST_SCORE)
