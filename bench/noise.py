"""Known noise laid over clean footage, measured, taken and given back: the suite `noise`; clean footage beside it.

Only clips that rules were not set on. What is compared: OpenCV's non-local means over five frames, of brightness and in
colour, and that of the FFmpeg libraries, each at the better of two strengths.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from scipy.stats import spearmanr
from skimage.metrics import structural_similarity

from bench.clips import REPORTS, long_run, worn
from bench.noise_compared import non_local_means
from bench.on_fields import interlaced
from bench.over_clips import over_clips
from grevin.core.measure.noise.cosines import COSINES, PART
from grevin.core.measure.noise.model import NoiseModel, unpacked
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

LENGTH = 13  # frames; the one in the middle is looked at
HELD, HELD_LENGTH = 3, 31  # frames for which noise stands in one kind, and of its clip: five changes a side
FIELDS_LENGTH = 7  # interlaced frames
SEED = 2287  # of the first clip; each has its own
KINDS: tuple[tuple[str, float, float], ...] = (  # levels of noise, px of its grain
    ("clean", 0.0, 0.0), ("3", 3.0, 0.0), ("5", 5.0, 0.0), ("10", 10.0, 0.0), ("20", 20.0, 0.0),
    ("10 grain .7", 10.0, 0.7), ("10 grain 1.2", 10.0, 1.2), ("10 fresh", 10.0, 0.0), ("10 held 3", 10.0, 0.0),
    ("by level", 10.0, 0.0), ("10 fields", 10.0, 0.0),
)  # fmt: skip
BY_LEVEL = "by level"
STEADY, GROWING = 16.0, 1.0  # of its variance: of a sensor, so much and as much again for each level (Foi 2008)
FIELDS = "10 fields"
HELD_KINDS = "10 fresh", "10 held 3"  # over more frames, for noise that stands needs them
COMPARED = "10"  # with non-local means
GIVEN_BACK = "10 grain .7"  # and the grain of which is made anew
BACK = 3  # frames of it


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
        source = worn(long_run(clip, HELD_LENGTH), replace(clip.wear, grain=0.0), SEED, name)
        every = [source.frame(number) for number in range(len(source))]
        first = (len(every) - LENGTH) // 2
        for kind, sigma, grain_px in KINDS:
            clean = every if kind in HELD_KINDS else every[first : first + LENGTH]
            hold = HELD if kind == "10 held 3" else 1
            seed = SEED + 7 * REPORTS.index(clip)
            if kind == FIELDS:
                woven = interlaced(clip, "top_first", FIELDS_LENGTH, grain=0.0)
                if woven is None:
                    continue
                clean = woven
            at_level = _by_level if kind == BY_LEVEL else None
            frames = noisy(clean, sigma, grain_px, seed, hold, at_level) if sigma else clean
            rows.append({"clip": name, "kind": kind, **_figures(clean, frames, sigma, kind)})
        return len(rows)

    _, skipped = over_clips(wanted, names(), measure, progress)
    together: dict[str, float] = {}
    for kind, sigma, _ in KINDS:
        mine = [row for row in rows if row["kind"] == kind]
        if mine:
            together |= _together(kind.replace(" ", "_"), mine, sigma)
    told = [row for row in rows if "said" in row]
    if len(told) > 2:
        rank = spearmanr([row["said"] for row in told], [row["error"] for row in told]).statistic
        together["said_and_error_rank"] = round(float(rank), 3)
    data = {"format": "grevin-bench", "version": 1, "suite": "noise", "rows": rows, "skipped": skipped}
    return {**data, "together": together}, None


def _by_level(luma: np.ndarray) -> np.ndarray:
    """Standard deviation of a sensor's noise at levels."""
    return np.asarray(np.sqrt(STEADY + GROWING * luma), np.float32)


def noisy(
    frames: list[Frame], sigma: float, grain_px: float, seed: int, hold: int = 1,
    at_level: Callable[[np.ndarray], np.ndarray] | None = None,
) -> list[Frame]:  # fmt: skip
    """Frames under noise of 8-bit levels in all planes, new on each, or on each of so many; as large as levels say."""
    rng = np.random.default_rng(seed)
    made: list[Frame] = []
    noise: list[np.ndarray] = []
    for number, frame in enumerate(frames):
        fmt = frame.format
        unit: Any = np.float32(sigma * (1 << (fmt.bit_depth - 8)))
        if number % hold == 0:
            noise = [_grain(rng, plane.shape, grain_px) for plane in frame.planes]
        sizes = [unit] * len(frame.planes)
        if at_level is not None:
            luma = _levels(frame, 0)
            sized = [cv2.resize(luma, plane.shape[::-1], interpolation=cv2.INTER_AREA) for plane in frame.planes]
            sizes = [at_level(one) * np.float32(1 << (fmt.bit_depth - 8)) for one in sized]
        planes = (
            np.clip(plane.astype(np.float32) + size * one, 0, fmt.max_code)
            for plane, size, one in zip(frame.planes, sizes, noise, strict=True)
        )
        made.append(frame.with_planes(tuple(planes)).rounded())
    return made


def _grain(rng: np.random.Generator, shape: tuple[int, ...], grain_px: float) -> np.ndarray:
    noise = rng.standard_normal(shape).astype(np.float32)
    if not grain_px:
        return noise
    blurred = np.asarray(cv2.GaussianBlur(noise, (0, 0), grain_px), np.float32)
    return np.asarray(blurred / blurred.std(), np.float32)


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
        "changed": float(made is not chain.source.frame(middle)),
    }  # fmt: skip
    if sigma:
        found |= {"gain": found["db"] - _db(before - right), "error": _error(model, sigma, kind)}
        found["said"] = 1.0 if model is None else model.off_by
        found["chroma_gain"] = _db(_levels(made, 1) - _levels(clean[middle], 1)) - _db(
            _levels(frames[middle], 1) - _levels(clean[middle], 1)
        )
    if kind == BY_LEVEL:
        levels = np.arange(0, 256, 5, dtype=np.float32)
        curve = [{"level": float(n), "noise": float(size)} for n, size in zip(levels, _by_level(levels), strict=True)]
        told = Chain(MemorySource(frames, kind), Treatment(steps=(TreatmentStep.make("noise", {"curve": curve}),)))
        found["under_told"] = _db(_levels(told.result.frame(middle), 0) - right) - found["db"]
    if kind == COMPARED:
        others = non_local_means(frames, middle, sigma)
        found |= {
            f"over_{name}": found["db"] - max(_db(one - right) for one in those) for name, those in others.items()
        }
        found["ssim"] = float(structural_similarity(right, after, data_range=255))  # type: ignore[no-untyped-call]
    if kind == GIVEN_BACK:
        found |= _given_back(clean, frames, middle)
    return {name: round(value, 3) for name, value in found.items()}


def _given_back(clean: list[Frame], frames: list[Frame], middle: int) -> dict[str, float]:
    """By how much grain that is given back differs from what was there: level in thirds of the range, spectrum."""
    steps = (TreatmentStep.make("noise"), TreatmentStep.make("grain"))
    chain = Chain(MemorySource(frames, "given back"), Treatment(steps=steps))
    numbers = range(middle, middle + BACK)
    added = [_levels(chain.result.frame(n), 0) - _levels(chain.view_points[1].frame(n), 0) for n in numbers]
    there = [_levels(frames[n], 0) - _levels(clean[n], 0) for n in numbers]
    right = _levels(clean[middle], 0)
    edges = np.quantile(right, [0, 1 / 3, 2 / 3, 1])
    parts = [(right >= low) & (right <= high) for low, high in pairwise(edges)]
    off = [float(added[0][part].std() / there[0][part].std() - 1) for part in parts]
    ours, theirs = _spectrum(added), _spectrum(there)
    seen = theirs > 0.02 * theirs.max()  # below it the rounding of the frames speaks
    apart = float(np.abs(10 * np.log10(ours[seen] / theirs[seen])).mean())
    alike = float(np.corrcoef(added[0].ravel(), added[1].ravel())[0, 1])
    return {"back_level_percent": 100 * max(map(abs, off)), "back_spectrum_db": apart, "back_alike": abs(alike)}


def _spectrum(pictures: list[np.ndarray]) -> np.ndarray:
    """(PART, PART) mean power of cosines."""
    height, width = (size // PART * PART for size in pictures[0].shape)
    power = np.zeros((PART, PART))
    for picture in pictures:
        blocks = picture[:height, :width].reshape(height // PART, PART, width // PART, PART).swapaxes(1, 2)
        power += np.square(COSINES @ blocks @ COSINES.T).mean(axis=(0, 1))
    return power


def _error(model: NoiseModel | None, sigma: float, kind: str) -> float:
    """Per cent by which the measured curve is off, the median over its levels; 100 where nothing was measured."""
    if model is None:
        return 100.0
    right = _by_level(model.levels) if kind == BY_LEVEL else sigma
    return float(100 * np.median(np.abs(model.sigma[0] / right - 1)))


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
    more = [name for name in rows[0] if name.startswith(("over_", "back_", "ssim", "under_"))]
    for name in more:
        values = [row[name] for row in rows]
        worst = max(values) if name.startswith(("back_", "under_")) else min(values)
        found |= {f"{kind}_{name}": round(float(np.mean(values)), 3), f"{kind}_{name}_worst": round(worst, 3)}
    return found


def _levels(frame: Frame, plane: int) -> np.ndarray:
    """(h, w) float32, 8-bit levels."""
    return np.asarray(frame.planes[plane], np.float32) / np.float32(1 << (frame.format.bit_depth - 8))


def _db(errors: np.ndarray) -> float:
    return psnr(float(np.square(errors).sum()), errors.size)
