"""How well the dirt step finds and fills simulated dirt, and what it does to clean material.

Beside it, in the same run, the plain filters that anybody could use instead (`bench.floors`).
"""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np

from bench.floors import FLOORS, Luma, inpainted
from bench.worst import Worst
from grevin.core.motion.flow import estimate_flow
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Mask
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import DamagedSource, damaged, truth_of
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.figures import Matches, psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

DEFAULT_DAMAGE = DirtDamage(seed=1409)  # raised after rules were set on the dirt of the last
CALM_PX = 25.0  # motion a frame below which a clip counts as calm (the goals tell them apart)
QUICK = {"motion": "quick"}
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
class Harm:
    """What was done to clean material."""

    clean_db: dict[str, float] = field(default_factory=dict)
    clean_worst_db: float = 0.0
    clean_blobs_per_frame: float = 0.0
    clean_changed_ppm: float = 0.0

    def row(self) -> dict[str, Any]:
        """Plain data."""
        return {
            "clean_db": self.clean_db,
            "clean_worst_db": self.clean_worst_db,
            "clean_blobs_per_frame": round(self.clean_blobs_per_frame, 2),
            "clean_changed_ppm": round(self.clean_changed_ppm, 1),
        }


@dataclass
class Treated:
    """What one treatment made of damaged material."""

    matches: Matches = field(default_factory=Matches)
    errors: Errors = field(default_factory=Errors)
    frames_per_second: float = 0.0

    def row(self) -> dict[str, Any]:
        """Plain data."""
        ratios = {name: round(value, 3) for name, value in self.matches.ratios().items()}
        return {**ratios, **self.errors.figures(), "frames_per_second": round(self.frames_per_second, 2)}


@dataclass
class ClipResult:
    """Everything measured on one clip."""

    name: str
    size: str
    frames: int
    motion_px: float
    fine: Treated
    quick: Treated
    damaged: Errors
    floors: dict[str, Errors]
    harm: Harm

    @property
    def calm(self) -> bool:
        """Whether nearly all of it moves slowly enough for the stricter goals."""
        return self.motion_px < CALM_PX

    def row(self) -> dict[str, Any]:
        """Plain data."""
        return {
            "clip": self.name,
            "size": self.size,
            "frames": self.frames,
            "motion_px": round(self.motion_px, 1),
            **{name: round(value, 3) for name, value in self.fine.matches.ratios().items()},
            "damaged": self.damaged.figures(),
            "dirt": self.fine.errors.figures(),
            "quick": self.quick.row(),
            **{name: errors.figures() for name, errors in self.floors.items()},
            **self.harm.row(),
            "frames_per_second": round(self.fine.frames_per_second, 2),
        }


def run_clip(
    name: str, clean: FrameSource, settings: dict[str, Any], worst: Worst, damage: DirtDamage = DEFAULT_DAMAGE
) -> ClipResult:  # fmt: skip
    """Damage a clean source, treat it, compare; then treat the clean source itself."""
    fmt = clean.format
    dirty = damaged(clean, damage)
    given, floors = Errors(), {name: Errors() for name in FLOOR_NAMES}
    for number in range(len(clean)):
        truth, reference = truth_of(dirty, number, "dirt").mask, clean.frame(number).luma8()
        seen = dirty.frame(number).luma8()
        given.count(reference, seen, truth)
        for floor, filtered in FLOORS.items():
            floors[floor].count(reference, filtered(dirty, number), truth)
        floors[ORACLE].count(reference, inpainted(seen, truth), truth)
    fine = treat(name, clean, dirty, settings, worst)
    quick = treat(name, clean, dirty, {**settings, **QUICK}, Worst())
    harm = measure_harm(name, clean, settings, worst)
    size = f"{fmt.width}x{fmt.height}"
    return ClipResult(name, size, len(clean), motion_of(clean), fine, quick, given, floors, harm)


def treat(name: str, clean: FrameSource, dirty: DamagedSource, settings: dict[str, Any], worst: Worst) -> Treated:
    """Treat damaged frames and compare with the clean ones and with the truth."""
    held = MemorySource([dirty.frame(n) for n in range(len(clean))], name)
    chain = Chain(held, Treatment(steps=(TreatmentStep.make("dirt", settings),)))
    started = time.perf_counter()
    treated = list(in_parallel(chain.result.frame, range(len(clean))))
    result = Treated(frames_per_second=len(clean) / (time.perf_counter() - started))
    for number, frame in enumerate(treated):
        truth, evidence = truth_of(dirty, number, "dirt"), chain.steps[0].evidence(number)
        assert evidence is not None
        result.matches.count(truth.mask, evidence.mask)
        result.errors.count(clean.frame(number).luma8(), frame.luma8(), truth.mask)
        for mark in truth.marks:
            x, y, width, height = mark.area
            place = (slice(y, y + height), slice(x, x + width))
            found = float(evidence.mask[place][truth.mask[place]].mean())
            worst.missed(name, number, mark, found, (held.frame(number), frame, clean.frame(number)))
    return result


def measure_harm(name: str, clean: FrameSource, settings: dict[str, Any], worst: Worst) -> Harm:
    """Treat clean material; all that is changed is harm."""
    chain = Chain(clean, Treatment(steps=(TreatmentStep.make("dirt", settings),)))
    treated = list(in_parallel(chain.result.frame, range(len(clean))))
    lumas = [clean.frame(n).luma8() for n in range(len(clean))]
    outputs: dict[str, list[Luma]] = {"dirt": [frame.luma8() for frame in treated]}
    for floor, filtered in FLOORS.items():
        outputs[floor] = [filtered(clean, n) for n in range(len(clean))]
    harm = Harm()
    for output, pictures in outputs.items():
        sums = [squared_error(a, b) for a, b in zip(lumas, pictures, strict=True)]
        harm.clean_db[output] = round(psnr(sum(s for s, _ in sums), sum(n for _, n in sums)), 2)
        if output == "dirt":
            harm.clean_worst_db = round(min(psnr(*one) for one in sums), 2)
    changed = sum(int((cv2.absdiff(a, b) > CHANGED_LEVELS).sum()) for a, b in zip(lumas, outputs["dirt"], strict=True))
    harm.clean_changed_ppm = 1e6 * changed / sum(luma.size for luma in lumas)
    count = 0
    for number, frame in enumerate(treated):
        evidence = chain.steps[0].evidence(number)
        for blob in evidence.blobs if evidence is not None else ():
            count += 1
            worst.alarmed(name, number, blob, (clean.frame(number), frame, clean.frame(number)))
    harm.clean_blobs_per_frame = count / len(clean)
    return harm


def short_figures(name: str, clean: FrameSource, dirty: DamagedSource) -> dict[str, float]:
    """What is found of dirt with empty settings, what is gained, and what is done to the clean frame harmed most."""
    given = Errors()
    for number in range(len(clean)):
        truth = truth_of(dirty, number, "dirt").mask
        given.count(clean.frame(number).luma8(), dirty.frame(number).luma8(), truth)
    treated = treat(name, clean, dirty, {}, Worst())
    ratios, made = treated.matches.ratios(), treated.errors.figures()
    chain = Chain(clean, Treatment(steps=(TreatmentStep.make("dirt"),)))
    pairs = ((clean.frame(number), chain.result.frame(number)) for number in range(len(clean)))
    return {
        "precision": ratios["blob_precision"], "recall": ratios["blob_recall"], "inside_db": made["inside_db"],
        "gain_db": made["whole_db"] - given.figures()["whole_db"],
        "clean_db": min(round(psnr(*squared_error(one.luma8(), other.luma8())), 2) for one, other in pairs),
    }  # fmt: skip


def motion_of(clean: FrameSource) -> float:
    """Motion below which 95 % of the picture moves, px a frame; median over the frames."""
    shares = []
    for number in range(0, len(clean) - 1, 3):
        flow = estimate_flow(clean.frame(number).luma8(), clean.frame(number + 1).luma8())
        shares.append(np.percentile(np.hypot(flow[..., 0], flow[..., 1]), 95))
    return float(np.median(shares))
