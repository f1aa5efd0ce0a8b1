"""Flicker and rolling bands of interlaced material, whose every field has its own light; rows of the suite `light`."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from bench.clips import Clip
from bench.on_fields import ORDERS, interlaced
from grevin.core.cache import ByteCache
from grevin.core.picture.fields import parities_in_time
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.light import BandDamage, FlickerDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.field_source import FieldsInTime
from grevin.core.treatment.fieldwise import woven_frame
from grevin.core.treatment.window import CachedSource

FRAMES = 30  # of two fields
KINDS: tuple[tuple[str, Any], ...] = (
    ("random on fields", FlickerDamage(what="random")), ("mains on fields", FlickerDamage(what="mains")),
    ("patches on fields", FlickerDamage(what="patches")), ("band on fields", BandDamage(0, 0.2, 0.83, 0.12)),
    ("clean on fields", None),
)  # fmt: skip
KEPT_BYTES = 1 << 29  # of fields, while they are looked at


def clean_on_fields(clip: Clip, number: int) -> list[Frame] | None:
    """Interlaced frames of a clip, either order in turn; None where it has no two whole fields."""
    return interlaced(clip, ORDERS[number % 2], FRAMES)


def lit_on_fields(frames: list[Frame], damage: Any) -> list[Frame]:
    """The frames with each of their fields in the light of its own moment."""
    fields, made = _fields(frames), []
    for number, frame in enumerate(frames):
        lit = []
        for place, parity in enumerate(parities_in_time(frame.format)):
            moment = 2 * number + place
            lit.append((parity, damage.add(replace(fields.frame(moment), number=moment))[0]))
        made.append(woven_frame(frame, lit))
    return made


def fields_of(frames: list[Frame]) -> list[Frame]:
    """All fields, in the order of their time."""
    fields = _fields(frames)
    return [fields.frame(number) for number in range(len(fields))]


def _fields(frames: list[Frame]) -> FieldsInTime:
    cache = ByteCache(KEPT_BYTES)
    return FieldsInTime(CachedSource(MemorySource(frames, "light on fields"), cache), cache)
