"""Judging streaks: a logistic model over their measures two by two, trained by `python -m bench.train_dropout`.

The weights lie in `judge.json` beside this module, with where they come from.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
import numpy.typing as npt

from grevin.core.measure.logistic import LogisticModel
from grevin.core.steps.dropout.streaks import FEATURES

WEIGHTS = Path(__file__).with_name("judge.json")
LEAST_SCORE, MOST_SCORE = -1.5, 2.5  # logarithms of the odds that are asked for at caution 0 and 1

Rows = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Judge:
    """A model of measures and of their products.

    Attributes:
        centre, spread: (F,) of the measures in training.
        model: of what `crossed` makes of them.
    """

    centre: tuple[float, ...]
    spread: tuple[float, ...]
    model: LogisticModel

    def scores(self, rows: Rows) -> Rows:
        """(N,) of (N, F) measures: the logarithm of the odds that each is a dropout."""
        return self.model.scores(crossed(rows, self.centre, self.spread))


def crossed(rows: Rows, centre: tuple[float, ...], spread: tuple[float, ...]) -> Rows:
    """(N, F + F (F + 1) / 2) the measures, even, and every product of two of them."""
    even = (rows - np.array(centre)) / np.array(spread)
    first, second = np.triu_indices(even.shape[1])
    return np.asarray(np.concatenate([even, even[:, first] * even[:, second]], axis=1))


@cache
def shipped() -> Judge:
    """The shipped weights."""
    data = json.loads(WEIGHTS.read_text(encoding="utf-8"))
    return Judge(tuple(data["centre"]), tuple(data["spread"]), LogisticModel.read(WEIGHTS, FEATURES))


def asked(caution: float) -> float:
    """The score from which a streak is taken."""
    return LEAST_SCORE + caution * (MOST_SCORE - LEAST_SCORE)
