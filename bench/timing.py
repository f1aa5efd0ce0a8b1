"""A step that changes time, over frames in memory."""

from __future__ import annotations

from typing import Any

from grevin.core.cache import ByteCache
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

CACHE_BYTES = 512 << 20


def chain_of(source: MemorySource, step: str, settings: dict[str, Any]) -> Chain:
    """The step over a source, with a cache of its own."""
    return Chain(source, Treatment(steps=(TreatmentStep.make(step, settings),)), ByteCache(CACHE_BYTES))
