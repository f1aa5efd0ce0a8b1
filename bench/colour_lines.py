"""Colour displaced line by line over open clips, found and brought back: part of the suite `colour`.

Three ways: leaning away at the top, as behind a switch of heads; swaying down the picture; turned. The rules were set
on these clips with other displacements.
"""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from bench.clips import Clip, Wear, carried_by_codec, worn
from bench.colour_smeared import colour_db
from bench.on_fields import ORDERS, interlaced
from grevin.core.measure.line_jitter import moved_lines
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SEED = 6151  # drawn when the rules were set
LEAST, MOST = 1.5, 4.0  # samples of colour between lines
NOISE = 3.0  # 8-bit levels, in colour
KINDS = (("", "lean"), ("", "sway"), ("", "turn"), ("noise", "sway"), ("fields", "sway"), ("h264", "sway"))


def line_rows(clip: Clip, place: int, clean: list[Frame]) -> list[dict[str, Any]]:
    """Figures of a clip, of frames of it as they are; its place among all is for what is drawn."""
    rng = np.random.default_rng((SEED, place))
    woven = interlaced(clip, ORDERS[place % 2], len(clean), 0.0)
    rows = []
    for wear, way in KINDS:
        right = woven if wear == "fields" else clean
        if right is not None and (carried_by_codec(right[0]) or wear != "h264"):
            rows.append(_row(clip.name, way, wear, right, rng))
    return rows


def lines_together(rows: list[dict[str, Any]]) -> dict[str, float]:
    """Means and worst of each kind of wear and each way."""
    found: dict[str, float] = {}
    for wear, way in KINDS:
        gains = [row["line_gain_db"] for row in rows if row["worn"] == f"lines {way} {wear}".strip()]
        if gains:
            name = f"lines_{way}_{wear or 'plain'}"
            found[f"{name}_gain_db"] = float(np.mean(gains))
            found[f"{name}_gain_db_worst"] = min(gains)
            found[f"{name}_acted"] = float(np.mean([gain != 0 for gain in gains]))
    return found


def _drawn(way: str, lines: int, rng: np.random.Generator) -> npt.NDArray[np.float32]:
    down, far = np.arange(lines) / lines, rng.uniform(LEAST, MOST) * rng.choice([-1, 1])
    if way == "lean":
        return np.asarray(far * np.exp(-down / rng.uniform(0.06, 0.25)), np.float32)
    if way == "sway":
        return np.asarray(far / 2 * np.sin(2 * np.pi * (down / rng.uniform(0.4, 1.5) + rng.uniform())), np.float32)
    return np.asarray(far * (down - 0.5), np.float32)


def _row(name: str, way: str, wear: str, clean: list[Frame], rng: np.random.Generator) -> dict[str, Any]:
    step = 2 if wear == "fields" else 1
    lines = _drawn(way, -(-clean[0].planes[1].shape[0] // step), rng)
    faulty = [_displaced(frame, lines, step, NOISE if wear == "noise" else 0.0, rng) for frame in clean]
    if wear == "h264":
        source = worn(faulty, Wear(0.0, codec="h264"), SEED, "coded")
        faulty = [source.frame(number) for number in range(len(faulty))]
    chain = Chain(MemorySource(faulty, "lines"), Treatment(steps=(TreatmentStep.make("chroma"),)))
    begun = time.process_time()
    made = chain.result.frame(1)
    gain = colour_db(clean[1], made.rounded()) - colour_db(clean[1], faulty[1]) if made is not faulty[1] else 0.0
    return {
        "clip": name, "worn": f"lines {way} {wear}".strip(), "line_gain_db": round(gain, 2),
        "apart": round(float(np.ptp(lines)), 2), "line_seconds": round(time.process_time() - begun, 2),
    }  # fmt: skip


def _displaced(
    frame: Frame, lines: npt.NDArray[np.float32], step: int, noise: float, rng: np.random.Generator
) -> Frame:  # fmt: skip
    planes = [frame.planes[0]]
    for plane in frame.planes[1:3]:
        made = plane.astype(np.float32)
        for first in range(step):
            part = np.ascontiguousarray(made[first::step])
            made[first::step] = moved_lines(part, -lines[: len(part)])
        values = np.rint(made + (rng.normal(0, noise, plane.shape) if noise else 0))
        planes.append(np.clip(values, 0, frame.format.max_code).astype(plane.dtype))
    return replace(frame, planes=tuple(planes))
