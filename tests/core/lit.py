"""Frames in light at rest, and a step over frames: for tests of light."""

from __future__ import annotations

from typing import Any

from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames

LENGTH = 40


def at_rest() -> list[Frame]:
    """A run of clean frames."""
    source = moving_frames(LENGTH, 192, 144)
    return [source.frame(number) for number in range(LENGTH)]


def under(frames: list[Frame], step: str, **settings: Any) -> tuple[Chain, list[Frame]]:
    """Frames under a step with some settings, and what it makes of them."""
    chain = Chain(MemorySource(frames, step), Treatment(steps=(TreatmentStep.make(step, settings),)))
    return chain, [chain.result.frame(number) for number in range(len(frames))]
