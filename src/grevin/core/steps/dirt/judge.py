"""Judging blobs whole: a logistic model over what they measure, trained by `python -m bench.train_dirt`.

The weights lie in `judge.json` beside this module, with where they come from.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.steps.dirt.blobs import STEPS
from grevin.core.steps.dirt.features import BlobFeatures
from grevin.core.steps.dirt.surroundings import look_around
from grevin.core.steps.dirt.suspects import Suspects

FEATURES = (
    "over ring", "over near", "over far", "over noise", "over texture", "disagreement", "size", "thickness",
    "ring deviating", "displaced", "speed", "bend", "room", "outlying", "apart", "uneven", "edge", "over threshold",
)  # fmt: skip
LARGE_BLOB_PX = 60  # size tells no more beyond this
WORTH_LOOKING = -2.0  # score of the plain rule from which a blob's surroundings are looked at: others never pass
MOST_LOOKED_AT = 300  # blobs a frame, the likeliest first: more is not dirt but failed motion

Rows = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Model:
    """Logistic regression on standardised measures and their squares.

    Attributes:
        mean, scale: (F,) of the measures in training.
        weights: (2 F,) of the standardised measures, then of their squares.
        bias: of the score.
        cautions: false blobs a clean 720x576 frame, descending.
        scores: the score from which blobs are taken at each of `cautions`.
    """

    mean: tuple[float, ...]
    scale: tuple[float, ...]
    weights: tuple[float, ...]
    bias: float
    cautions: tuple[float, ...]
    scores: tuple[float, ...]

    @classmethod
    def read(cls, path: Path) -> Model:
        """The shipped weights."""
        data: dict[str, Any] = json.loads(path.read_text(encoding="utf-8"))
        if tuple(data["features"]) != FEATURES:
            raise ValueError(f"{path.name} is about other measures: train anew")
        names = ("mean", "scale", "weights", "cautions", "scores")
        return cls(bias=float(data["bias"]), **{name: tuple(map(float, data[name])) for name in names})

    @cached_property
    def _arrays(self) -> tuple[Rows, Rows, Rows]:
        return np.array(self.mean), np.array(self.scale), np.array(self.weights)

    def confidence(self, rows: Rows) -> npt.NDArray[np.float64]:
        """0..1 for (N, F) measures."""
        mean, scale, weights = self._arrays
        score = expanded((rows - mean) / scale) @ weights + self.bias
        return np.asarray(1.0 / (1.0 + np.exp(-np.clip(score, -30, 30))))

    def score(self, caution: float) -> float:
        """The score from which a blob is taken for so many expected false blobs a clean frame."""
        allowed = np.log(np.array(self.cautions[::-1]))
        return float(np.interp(np.log(caution), allowed, np.array(self.scores[::-1])))


def expanded(standard: Rows) -> Rows:
    """Measures, held within three standard deviations, and their squares."""
    held = np.clip(standard, -3.0, 3.0)
    return np.concatenate([held, held * held], axis=1)


def plain_score(features: BlobFeatures) -> npt.NDArray[np.float64]:
    """A rule of round weights over the cheap measures, to pass over what cannot be dirt."""
    return np.asarray(
        2.8 * np.log(features.over_near)
        + 1.7 * np.log(features.over_far)
        - 2.2 * features.disagreement
        + 0.7 * np.log(np.minimum(features.pixels, LARGE_BLOB_PX))
        - 6.8
    )


def worth_looking(features: BlobFeatures) -> npt.NDArray[np.bool_]:
    """(N,) bool: blobs whose surroundings are looked at."""
    score = plain_score(features)
    worth = score > WORTH_LOOKING
    if np.count_nonzero(worth) > MOST_LOOKED_AT:
        worth &= score >= np.partition(score, -MOST_LOOKED_AT)[-MOST_LOOKED_AT]
    return np.asarray(worth)


def measures(seen: Suspects, chosen: npt.NDArray[np.bool_]) -> Rows:
    """(M, F) rows of the chosen blobs, (N,) bool, in the order of `FEATURES`."""
    features, around, noise = seen.features, look_around(seen, chosen), seen.noise
    contrast, pixels = features.contrast[chosen], features.pixels[chosen].astype(np.float64)
    threshold = np.asarray(STEPS)[seen.blobs.level[chosen]] * noise
    columns = (
        np.log(contrast / (around.residual + 0.5 * noise)),
        np.log(features.over_near[chosen]), np.log(features.over_far[chosen]), np.log(contrast / noise),
        np.log(contrast / (around.texture + noise)), np.minimum(features.disagreement[chosen], 3.0),
        np.log(np.minimum(pixels, 10 * LARGE_BLOB_PX)),
        np.log(pixels / features.boxes[chosen, 2:].max(axis=1, initial=1)),
        around.deviating, np.log(around.displaced), np.log1p(features.speed[chosen]), np.log1p(around.bend),
        np.log1p(np.maximum(around.room, 0.0)), np.clip(around.outlying / contrast, -2.0, 1.0),
        np.log((around.apart + noise) / (around.texture + noise)), np.log((around.uneven + noise) / contrast),
        np.log1p(around.edge), np.log(contrast / threshold),
    )  # fmt: skip
    return np.stack(columns, axis=1)


def judge(seen: Suspects) -> npt.NDArray[np.float64]:
    """Confidence of every blob, 0..1; 0 for those not worth looking at."""
    sure, worth = np.zeros(seen.count), worth_looking(seen.features)
    if worth.any():
        sure[worth] = MODEL.confidence(measures(seen, worth))
    return sure


MODEL = Model.read(Path(__file__).with_name("judge.json"))
