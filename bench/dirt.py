"""How well the dirt step finds and fills simulated dirt, and what it does to clean material.

Beside it, in the same run, the plain filters that anybody could use instead (`bench.floors`).
"""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import Any

import cv2

from bench.floors import FLOORS, Luma, inpainted
from grevin.core.picture.frame import Mask
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import damaged, truth_of
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.figures import Matches, psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.frames_in_parallel import in_parallel
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

CHANGED_LEVELS = 12  # a sample changed by more than this is harm that can be seen (methods, dirt)
ORACLE = "inpainted_by_truth"
FLOOR_NAMES = (*FLOORS, ORACLE)


@dataclass
class Errors:
    """Sums of squared errors of luma against the clean picture."""

    inside: list[float] = field(default_factory=lambda: [0.0, 0.0])
    outside: list[float] = field(default_factory=lambda: [0.0, 0.0])

    def count(self, clean: Luma, other: Luma, truth: Mask) -> None:
        """Add one frame."""
        for total, where in ((self.inside, truth), (self.outside, ~truth)):
            error, samples = squared_error(clean, other, where)
            total[0] += error
            total[1] += samples

    def figures(self) -> dict[str, float]:
        """PSNR in dB inside the truth, outside it and over whole frames."""
        whole = [a + b for a, b in zip(self.inside, self.outside, strict=True)]
        named = {"inside_db": self.inside, "outside_db": self.outside, "whole_db": whole}
        return {name: round(psnr(value[0], int(value[1])), 2) for name, value in named.items()}


@dataclass
class ClipResult:
    """Everything measured on one clip."""

    name: str
    size: str
    frames: int
    matches: Matches = field(default_factory=Matches)
    damaged: Errors = field(default_factory=Errors)
    dirt: Errors = field(default_factory=Errors)
    floors: dict[str, Errors] = field(default_factory=lambda: {name: Errors() for name in FLOOR_NAMES})
    clean_db: dict[str, float] = field(default_factory=dict)
    clean_worst_db: float = 0.0
    clean_blobs_per_frame: float = 0.0
    clean_changed_ppm: float = 0.0
    frames_per_second: float = 0.0

    def row(self) -> dict[str, Any]:
        """Plain data."""
        return {
            "clip": self.name,
            "size": self.size,
            "frames": self.frames,
            **{name: round(value, 3) for name, value in self.matches.ratios().items()},
            "damaged": self.damaged.figures(),
            "dirt": self.dirt.figures(),
            **{name: errors.figures() for name, errors in self.floors.items()},
            "clean_db": self.clean_db,
            "clean_worst_db": self.clean_worst_db,
            "clean_blobs_per_frame": round(self.clean_blobs_per_frame, 2),
            "clean_changed_ppm": round(self.clean_changed_ppm, 1),
            "frames_per_second": round(self.frames_per_second, 2),
        }


def run_clip(name: str, clean: FrameSource, settings: dict[str, Any] | None = None) -> ClipResult:
    """Damage a clean source, treat it, compare; then treat the clean source itself."""
    fmt = clean.format
    result = ClipResult(name, f"{fmt.width}x{fmt.height}", len(clean))
    dirty = damaged(clean, DirtDamage())
    treatment = Treatment(steps=(TreatmentStep.make("dirt", settings or {}),))
    chain = Chain(MemorySource([dirty.frame(n) for n in range(len(clean))], name), treatment)
    started = time.perf_counter()
    treated = list(in_parallel(chain.result.frame, range(len(clean))))
    result.frames_per_second = len(clean) / (time.perf_counter() - started)
    for number in range(len(clean)):
        truth, seen = truth_of(dirty, number, "dirt").mask, dirty.frame(number).luma8()
        evidence = chain.steps[0].evidence(number)
        assert evidence is not None
        result.matches.count(truth, evidence.mask)
        reference = clean.frame(number).luma8()
        result.damaged.count(reference, seen, truth)
        result.dirt.count(reference, treated[number].luma8(), truth)
        for floor, filtered in FLOORS.items():
            result.floors[floor].count(reference, filtered(dirty, number), truth)
        result.floors[ORACLE].count(reference, inpainted(seen, truth), truth)
    _measure_harm(result, clean, treatment)
    return result


def _measure_harm(result: ClipResult, clean: FrameSource, treatment: Treatment) -> None:
    chain = Chain(clean, treatment)
    treated = list(in_parallel(chain.result.frame, range(len(clean))))
    lumas = [clean.frame(n).luma8() for n in range(len(clean))]
    outputs: dict[str, list[Luma]] = {"dirt": [frame.luma8() for frame in treated]}
    for floor, filtered in FLOORS.items():
        outputs[floor] = [filtered(clean, n) for n in range(len(clean))]
    for name, pictures in outputs.items():
        sums = [squared_error(a, b) for a, b in zip(lumas, pictures, strict=True)]
        result.clean_db[name] = round(psnr(sum(s for s, _ in sums), sum(n for _, n in sums)), 2)
        if name == "dirt":
            result.clean_worst_db = round(min(psnr(*one) for one in sums), 2)
    changed = sum(int((cv2.absdiff(a, b) > CHANGED_LEVELS).sum()) for a, b in zip(lumas, outputs["dirt"], strict=True))
    result.clean_changed_ppm = 1e6 * changed / sum(luma.size for luma in lumas)
    found = [chain.steps[0].evidence(n) for n in range(len(clean))]
    result.clean_blobs_per_frame = sum(len(e.blobs) for e in found if e) / len(clean)
