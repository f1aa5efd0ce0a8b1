"""Judging lines: a logistic model over what they measure, trained by `python -m bench.train_scratch`.

The weights lie in `judge.json` beside this module, with where they come from.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path as FilePath

import numpy as np
import numpy.typing as npt

from grevin.core.steps.scratch.features import FEATURES

MOST_DEVIATIONS = 4.0  # of a measure from its mean, beyond which it tells no more

Rows = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Model:
    """Logistic regression on standardised measures.

    Attributes:
        mean, scale: (F,) of the measures in training.
        weights: (F,) of the standardised measures.
        bias: of the score.
    """

    mean: tuple[float, ...]
    scale: tuple[float, ...]
    weights: tuple[float, ...]
    bias: float

    def scores(self, rows: Rows) -> Rows:
        """(N,) of lines with measures (N, F): the logarithm of the odds that each is a scratch."""
        even = (rows - np.array(self.mean)) / np.array(self.scale)
        return np.asarray(np.clip(even, -MOST_DEVIATIONS, MOST_DEVIATIONS) @ np.array(self.weights) + self.bias)


@cache
def shipped() -> Model:
    """The shipped weights."""
    data = json.loads(FilePath(__file__).with_name("judge.json").read_text(encoding="utf-8"))
    if tuple(data["features"]) != FEATURES:
        raise ValueError("judge.json of the scratch step is about other measures: train anew")
    mean, scale, weights = (tuple(map(float, data[name])) for name in ("mean", "scale", "weights"))
    return Model(mean, scale, weights, float(data["bias"]))
