"""Fitting a logistic model by Newton's method, with a ridge."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import numpy.typing as npt

from grevin.core.measure.logistic import MOST_DEVIATIONS, CrossedModel, LogisticModel, crossed

RIDGE, ROUNDS = 1.0, 40

Rows = npt.NDArray[np.float64]


def fit(rows: Rows, true: Rows, weight: Rows) -> LogisticModel:
    """A model of measures, (N, F), that are damage or not, (N,), each of some weight, (N,)."""
    mean, scale = rows.mean(axis=0), rows.std(axis=0) + 1e-9
    most = MOST_DEVIATIONS
    even = np.concatenate([np.clip((rows - mean) / scale, -most, most), np.ones((len(rows), 1))], axis=1)
    ridge = RIDGE * np.eye(even.shape[1])
    ridge[-1, -1] = 0
    beta = np.zeros(even.shape[1])
    for _ in range(ROUNDS):
        sure = 1 / (1 + np.exp(-np.clip(even @ beta, -30, 30)))
        slope = even.T @ (weight * (true - sure)) - ridge @ beta
        bend = (even * (weight * sure * (1 - sure))[:, None]).T @ even + ridge
        step = np.linalg.solve(bend, slope)
        beta += step
        if np.abs(step).max() < 1e-6:
            break
    return LogisticModel(tuple(mean), tuple(scale), tuple(beta[:-1]), float(beta[-1]))


def fit_crossed(rows: Rows, true: Rows, weight: Rows) -> CrossedModel:
    """The same, of the measures and their products."""
    centre, spread = tuple(rows.mean(axis=0)), tuple(rows.std(axis=0) + 1e-9)
    return CrossedModel(centre, spread, fit(crossed(rows, centre, spread), true, weight))


def write_crossed(path: Path, features: tuple[str, ...], found: CrossedModel, **told: object) -> None:
    """Write it as `CrossedModel.read` reads it, with where it comes from."""
    model = found.model
    data = {
        "features": features, "centre": found.centre, "spread": found.spread, "mean": model.mean, "scale": model.scale,
        "weights": model.weights, "bias": model.bias, **told,
    }  # fmt: skip
    path.write_text(json.dumps(data, indent=1) + "\n", encoding="utf-8")
