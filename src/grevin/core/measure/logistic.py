"""A logistic model over measures, as judges of damage use it: the weights lie in a JSON file beside the judge."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

MOST_DEVIATIONS = 4.0  # of a measure from its mean, beyond which it tells no more

Rows = npt.NDArray[np.float64]


@dataclass(frozen=True)
class LogisticModel:
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

    @classmethod
    def read(cls, path: Path, features: tuple[str, ...]) -> LogisticModel:
        """The shipped weights.

        Raises:
            ValueError: if they are about other measures.
        """
        data = json.loads(path.read_text(encoding="utf-8"))
        if tuple(data["features"]) != features:
            raise ValueError(f"{path} is about other measures: train anew")
        mean, scale, weights = (tuple(map(float, data[name])) for name in ("mean", "scale", "weights"))
        return cls(mean, scale, weights, float(data["bias"]))

    def scores(self, rows: Rows) -> Rows:
        """(N,) of (N, F) measures: the logarithm of the odds."""
        even = (rows - np.array(self.mean)) / np.array(self.scale)
        return np.asarray(np.clip(even, -MOST_DEVIATIONS, MOST_DEVIATIONS) @ np.array(self.weights) + self.bias)


@dataclass(frozen=True)
class CrossedModel:
    """A model of measures and of their products.

    Attributes:
        centre, spread: (F,) of the measures in training.
        model: of what `crossed` makes of them.
    """

    centre: tuple[float, ...]
    spread: tuple[float, ...]
    model: LogisticModel

    @classmethod
    def read(cls, path: Path, features: tuple[str, ...]) -> CrossedModel:
        """The shipped weights.

        Raises:
            ValueError: if they are about other measures.
        """
        data = json.loads(path.read_text(encoding="utf-8"))
        return cls(tuple(data["centre"]), tuple(data["spread"]), LogisticModel.read(path, features))

    def scores(self, rows: Rows) -> Rows:
        """(N,) of (N, F) measures: the logarithm of the odds."""
        return self.model.scores(crossed(rows, self.centre, self.spread))


def crossed(rows: Rows, centre: tuple[float, ...], spread: tuple[float, ...]) -> Rows:
    """(N, F + F (F + 1) / 2) the measures, even, and every product of two of them."""
    even = (rows - np.array(centre)) / np.array(spread)
    first, second = np.triu_indices(even.shape[1])
    return np.asarray(np.concatenate([even, even[:, first] * even[:, second]], axis=1))
