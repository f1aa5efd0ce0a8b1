"""Known noise laid over clean footage, measured and taken: the suite `noise`; clean footage beside it.

Only clips that rules were not set on. What is compared: OpenCV's non-local means over five frames, told the noise.
"""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

import cv2
import numpy as np

from bench.clips import REPORTS, long_run, worn
from bench.over_clips import over_clips
from grevin.core.measure.noise.model import NoiseModel, unpacked
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

LENGTH = 13  # frames; the one in the middle is looked at
SEED = 2203  # of the first clip; each has its own
KINDS: tuple[tuple[str, float, float], ...] = (  # levels of noise, px of its grain
    ("clean", 0.0, 0.0), ("3", 3.0, 0.0), ("5", 5.0, 0.0), ("10", 10.0, 0.0), ("20", 20.0, 0.0),
    ("10 grain .7", 10.0, 0.7), ("10 grain 1.2", 10.0, 1.2),
)  # fmt: skip
COMPARED = "10"  # with non-local means
STRENGTHS = 0.7, 1.0  # times the noise, of which the better one counts for those


def names() -> list[str]:
    """Clips that can be asked for."""
    return [clip.name for clip in REPORTS]


def run_noise(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the noise step.

    Raises:
        UsageError: for a name that does not exist.
    """
    rows: list[dict[str, Any]] = []

    def measure(name: str) -> int:
        clip = next(one for one in REPORTS if one.name == name)
        source = worn(long_run(clip, LENGTH), replace(clip.wear, grain=0.0), SEED, name)
        clean = [source.frame(number) for number in range(len(source))]
        for kind, sigma, grain_px in KINDS:
            frames = noisy(clean, sigma, grain_px, SEED + REPORTS.index(clip)) if sigma else clean
            rows.append({"clip": name, "kind": kind, **_figures(clean, frames, sigma, kind)})
        return len(rows)

    _, skipped = over_clips(wanted, names(), measure, progress)
    together: dict[str, float] = {}
    for kind, sigma, _ in KINDS:
        mine = [row for row in rows if row["kind"] == kind]
        if mine:
            together |= _together(kind.replace(" ", "_"), mine, sigma)
    data = {"format": "grevin-bench", "version": 1, "suite": "noise", "rows": rows, "skipped": skipped}
    return {**data, "together": together}, None


def noisy(frames: list[Frame], sigma: float, grain_px: float, seed: int) -> list[Frame]:
    """Frames under noise of 8-bit levels in all planes, new on each."""
    rng = np.random.default_rng(seed)
    made = []
    for frame in frames:
        fmt = frame.format
        unit = 1 << (fmt.bit_depth - 8)
        planes = []
        for plane in frame.planes:
            noise = rng.standard_normal(plane.shape).astype(np.float32)
            if grain_px:
                blurred = np.asarray(cv2.GaussianBlur(noise, (0, 0), grain_px), np.float32)
                noise = blurred / blurred.std()
            planes.append(np.clip(plane.astype(np.float32) + np.float32(sigma * unit) * noise, 0, fmt.max_code))
        made.append(frame.with_planes(tuple(planes)).rounded())
    return made


def _figures(clean: list[Frame], frames: list[Frame], sigma: float, kind: str) -> dict[str, float]:
    chain = Chain(MemorySource(frames, kind), Treatment(steps=(TreatmentStep.make("noise"),)))
    model = unpacked(chain.steps[0].study_of(0))
    middle = len(frames) // 2
    begun = time.process_time()
    made = chain.result.frame(middle)
    seconds = time.process_time() - begun
    right, before, after = (_levels(one, 0) for one in (clean[middle], frames[middle], made))
    found: dict[str, float] = {
        "sigma": model.typical if model is not None else 0.0, "db": _db(after - right), "seconds": round(seconds, 3),
        "changed": float(made is not frames[middle]),
    }  # fmt: skip
    if sigma:
        found |= {"gain": found["db"] - _db(before - right), "error": _error(model, sigma)}
        found["chroma_gain"] = _db(_levels(made, 1) - _levels(clean[middle], 1)) - _db(
            _levels(frames[middle], 1) - _levels(clean[middle], 1)
        )
    if kind == COMPARED:
        eight = [np.clip(np.rint(_levels(frame, 0)), 0, 255).astype(np.uint8) for frame in frames]
        others = (cv2.fastNlMeansDenoisingMulti(eight, middle, 5, h=times * sigma) for times in STRENGTHS)
        found["over_means"] = found["db"] - max(_db(np.asarray(one, np.float32) - right) for one in others)
    return {name: round(value, 3) for name, value in found.items()}


def _error(model: NoiseModel | None, sigma: float) -> float:
    """Per cent by which the measured curve is off, the median over its levels; 100 where nothing was measured."""
    return 100.0 if model is None else float(100 * np.median(np.abs(model.sigma[0] / sigma - 1)))


def _together(kind: str, rows: list[dict[str, Any]], sigma: float) -> dict[str, float]:
    """The mean over the clips, and the worst."""
    if not sigma:
        changed = [row["db"] for row in rows if row["changed"]]
        return {f"{kind}_clips_changed": len(changed), f"{kind}_worst_db": round(min(changed, default=99.0), 2)}
    found = {
        f"{kind}_{name}": round(float(np.mean([row[name] for row in rows])), 2)
        for name in ("gain", "chroma_gain", "seconds")
    }
    found |= {f"{kind}_gain_worst": round(min(row["gain"] for row in rows), 2)}
    found |= {f"{kind}_curve_error_median": round(float(np.median([row["error"] for row in rows])), 2)}
    if kind == COMPARED:
        found["10_over_non_local_means"] = round(float(np.mean([row["over_means"] for row in rows])), 2)
    return found


def _levels(frame: Frame, plane: int) -> np.ndarray:
    """(h, w) float32, 8-bit levels."""
    return np.asarray(frame.planes[plane], np.float32) / np.float32(1 << (frame.format.bit_depth - 8))


def _db(errors: np.ndarray) -> float:
    return psnr(float(np.square(errors).sum()), errors.size)
