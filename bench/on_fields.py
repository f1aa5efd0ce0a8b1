"""Dirt on one field of interlaced material: found and mended there, while the other field stays as it is."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from bench.clips import CLIPS, Clip, long_run
from bench.groups import by_group
from grevin.core.cache import ByteCache
from grevin.core.parallel import in_parallel
from grevin.core.picture.format import FieldOrder
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.base import DamagedSource, damaged, truth_of
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.figures import Matches, psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.field_source import FieldSource
from grevin.core.treatment.fieldwise import woven_frame
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.window import CachedSource

SEED, GRAIN = 31, 2.5  # raised when rules are set on it; 8-bit levels
FRAMES = 12
ORDERS: tuple[FieldOrder, ...] = ("top_first", "bottom_first")


def measure_on_fields() -> dict[str, float]:
    """Precision, recall and gain of both groups, and samples changed on fields without dirt; either order in turn.

    Beside it the same pictures treated as whole frames.
    """
    clips = [clip for clip in CLIPS if clip.move is None or clip.move.held == 1]
    rows = [row for row in in_parallel(partial(_row, clips), range(len(clips))) if row is not None]
    figures: dict[str, float] = {}
    for how in ("fields", "as_frames"):
        for name in ("precision", "recall", "gain_db"):
            figures.update(by_group(f"{how}_{name}", {row["clip"]: row[how][name] for row in rows}))
        figures[f"{how}_other_samples_changed"] = sum(row[how]["other"] for row in rows)
    return {name: round(value, 3) for name, value in figures.items()}


def interlaced(clip: Clip, order: FieldOrder, count: int = FRAMES, grain: float = GRAIN) -> list[Frame] | None:
    """So many frames of two moments each, under grain of 8-bit levels; None where they give no two whole fields."""
    moments = long_run(clip, 2 * count)
    rows = moments[0].format.height // 4 * 4
    fmt = replace(moments[0].format, height=rows, field_order=order)
    if not fmt.has_fields:
        return None
    late = 1 if order == "top_first" else 0
    made = []
    for number in range(len(moments) // 2):
        early, later = ([p[: s[0]] for p, s in zip(m.planes, fmt.plane_shapes(), strict=True)]
                        for m in moments[2 * number : 2 * number + 2])  # fmt: skip
        planes = tuple(plane.copy() for plane in early)
        for plane, other in zip(planes, later, strict=True):
            plane[late::2] = other[late::2]
        frame = Frame(number, fmt, planes)
        made.append(GrainDamage(SEED, grain).add(frame)[0] if grain else frame)
    return made


def _row(clips: list[Clip], number: int) -> dict[str, Any] | None:
    clip, order = clips[number], ORDERS[number % 2]
    frames = interlaced(clip, order)
    if frames is None:
        return None
    clean = MemorySource(frames, clip.name)
    parity = number // 2 % 2
    fields = FieldSource(CachedSource(clean, ByteCache(1 << 28)), parity, ByteCache(1 << 28))
    dirty: DamagedSource = damaged(fields, DirtDamage(seed=SEED + number))
    held = [woven_frame(frame, [(parity, dirty.frame(n))]) for n, frame in enumerate(frames)]
    unflagged = [replace(frame, format=replace(frame.format, field_order="progressive")) for frame in held]
    figures = (_figures(frames, given, dirty, parity) for given in (held, unflagged))
    return {"clip": clip.name, **dict(zip(("fields", "as_frames"), figures, strict=True))}


def _figures(frames: list[Frame], held: list[Frame], dirty: DamagedSource, parity: int) -> dict[str, float]:
    """What the step makes of frames with dirt on their fields of one parity."""
    chain = Chain(MemorySource(held, "held"), Treatment(steps=(TreatmentStep.make("dirt"),)))
    matches, before, after, other = Matches(), np.zeros(2), np.zeros(2), 0
    for n, frame in enumerate(frames):
        evidence, result = chain.steps[0].evidence(n), chain.result.frame(n)
        assert evidence is not None
        matches.count(truth_of(dirty, n, "dirt").mask, evidence.mask[parity::2])
        before += squared_error(frame.luma8(), held[n].luma8())
        after += squared_error(frame.luma8(), result.luma8())
        aside = slice(1 - parity, None, 2)
        other += sum(int((a[aside] != b[aside]).sum()) for a, b in zip(frame.planes, result.planes, strict=True))
    found = matches.ratios()
    gain = psnr(after[0], int(after[1])) - psnr(before[0], int(before[1]))
    return {"precision": found["blob_precision"], "recall": found["blob_recall"], "gain_db": gain, "other": other}
