"""Judging lines: a logistic model over what they measure, two by two, trained by `python -m bench.train_scratch`.

The weights lie in `judge.json` beside this module, with where they come from.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

from grevin.core.measure.logistic import CrossedModel
from grevin.core.steps.scratch.features import FEATURES

WEIGHTS = Path(__file__).with_name("judge.json")


@cache
def shipped() -> CrossedModel:
    """The shipped weights."""
    return CrossedModel.read(WEIGHTS, FEATURES)
