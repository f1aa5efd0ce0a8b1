"""Flicker and rolling bands laid over clean footage, and what is left: the suite `light`; clean footage beside it.

Only clips that rules were not set on. What is compared: the usual plain method, the mean of each frame brought to a
smoothed mean.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np
from scipy.ndimage import gaussian_filter1d

from bench.clips import GRAIN_SIGMA, REPORTS, Clip, Wear, long_run, worn
from bench.light_between_fades import KINDS as BETWEEN_FADES
from bench.light_between_fades import hurt_between_fades
from bench.light_on_fields import KINDS as ON_FIELDS
from bench.light_on_fields import clean_on_fields, fields_of, lit_on_fields
from bench.over_clips import over_clips
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.light import BandDamage, FlickerDamage, LightCourse
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

LENGTH = 61
SEED = 6311  # of the first clip; each has its own, so that no single sequence decides
KINDS: tuple[tuple[str, Any, str], ...] = (
    ("random", FlickerDamage(what="random"), ""), ("weak", FlickerDamage(what="random", depth=0.15), ""),
    ("periodic", FlickerDamage(what="periodic"), ""), ("mains", FlickerDamage(what="mains"), ""),
    ("colour", FlickerDamage(what="colour"), ""), ("patches", FlickerDamage(what="patches"), ""),
    ("corner", FlickerDamage(what="corner"), ""), ("sunrise under it", FlickerDamage(what="random"), "sunrise"),
    ("lamp under it", FlickerDamage(what="random"), "lamp"), ("clean", None, ""), ("clean fade", None, "fade"),
    ("clean lamp", None, "lamp"), ("clean sunrise", None, "sunrise"), ("clean cloud", None, "cloud"),
    ("swell under it", FlickerDamage(what="random"), "swell"), ("clean swell", None, "swell"),
    ("band", BandDamage(0, 0.2, 0.83, 0.12), ""), ("band slow", BandDamage(0, 0.15, 1.5, 0.05), ""),
    ("band leaning", BandDamage(0, 0.2, 0.7, -0.17, 0.15), ""),
    ("band in colour", BandDamage(0, 0.2, 0.9, 0.23, 0.0, 0.4), ""),
)  # fmt: skip
PLAIN_FRAMES = 16.0  # standard deviation of the plain method's smoothing


def names() -> list[str]:
    """Clips that can be asked for."""
    return [clip.name for clip in REPORTS]


def run_light(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the flicker step.

    Raises:
        UsageError: for a name that does not exist.
    """
    rows: list[dict[str, Any]] = []

    def measure(name: str) -> int:
        clip = next(one for one in REPORTS if one.name == name)
        seed = SEED + REPORTS.index(clip)
        wear = Wear(clip.wear.grain or GRAIN_SIGMA, clip.wear.bit_depth, clip.wear.codec)
        source = worn(long_run(clip, LENGTH), wear, seed, name)
        clean = [source.frame(number) for number in range(len(source))]
        for kind, usual, course in KINDS:
            damage = None if usual is None else replace(usual, seed=seed)
            rows.append({"clip": name, "kind": kind, **_figures(clean, damage, course)})
        for kind, ground in BETWEEN_FADES:
            figures = _compared(*hurt_between_fades(clean, ground, seed, lambda frames: _treated(frames, "flicker")))
            rows.append({"clip": name, "kind": kind, **figures})
        rows.extend({"clip": name, **row} for row in _on_fields(clip, seed))
        return len(rows)

    _, skipped = over_clips(wanted, names(), measure, progress)
    together: dict[str, float] = {}
    for kind in [kind for kind, *_ in KINDS] + [kind for kind, _ in (*BETWEEN_FADES, *ON_FIELDS)]:
        mine = [row for row in rows if row["kind"] == kind]
        if mine:
            together |= _together(kind.replace(" ", "_"), mine)
    data = {"format": "grevin-bench", "version": 1, "suite": "light", "rows": rows, "skipped": skipped}
    return {**data, "together": together}, None


def _together(kind: str, rows: list[dict[str, Any]]) -> dict[str, float]:
    """The mean over the clips, and the worst."""
    if kind.startswith("clean"):
        return {f"{kind}_frames_changed": sum(row["changed"] for row in rows)}
    names = ("before", "left", "plain_left", "fast_left", "db_before", "db")
    found = {f"{kind}_{name}": round(float(np.mean([row[name] for row in rows])), 2) for name in names}
    return {**found, f"{kind}_left_worst": max(row["left"] for row in rows)}


def _on_fields(clip: Clip, seed: int) -> Iterator[dict[str, Any]]:
    """Of a clip as interlaced material; nothing where it has no two whole fields."""
    clean = clean_on_fields(clip, seed)
    if clean is None:
        return
    for kind, usual in ON_FIELDS:
        if usual is None:
            yield {"kind": kind, "changed": _changed_by_both(clean)}
            continue
        damage = replace(usual, seed=seed)
        damaged = lit_on_fields(clean, damage)
        yield {"kind": kind, **_compared(*map(fields_of, (clean, damaged, _treated(damaged, damage.kind))))}


def _figures(clean: list[Frame], damage: Any, course: Any) -> dict[str, float]:
    """Of one clip under one kind of flicker or band, each with the step that is for it; clean material with both."""
    truth = clean if not course else [LightCourse(course, len(clean)).add(frame)[0] for frame in clean]
    if damage is None:
        return {"changed": _changed_by_both(truth)}
    damaged = [damage.add(frame)[0] for frame in truth]
    return _compared(truth, damaged, _treated(damaged, damage.kind))


def _treated(frames: list[Frame], step: str) -> list[Frame]:
    chain = _under(frames, step)
    return [chain.result.frame(number) for number in range(len(frames))]


def _compared(truth: list[Frame], damaged: list[Frame], made: list[Frame]) -> dict[str, float]:
    """What is left, and what the plain method leaves."""
    right, off, left = (np.stack([_luma(frame) for frame in frames]) for frames in (truth, damaged, made))
    plain = _plain(off)
    return {
        "before": _rms(off - right), "left": _rms(left - right), "plain_left": _rms(plain - right),
        "fast_left": _fast(left - right), "db_before": _db(off - right), "db": _db(left - right),
    }  # fmt: skip


def _under(frames: list[Frame], step: str) -> Chain:
    return Chain(MemorySource(frames, step), Treatment(steps=(TreatmentStep.make(step),)))


def _changed_by_both(frames: list[Frame]) -> int:
    return sum(_changed(frames, step) for step in ("flicker", "bands"))


def _changed(frames: list[Frame], step: str) -> int:
    """Frames that do not come out bit for bit."""
    chain = _under(frames, step)
    return sum(chain.result.frame(number) is not chain.source.frame(number) for number in range(len(frames)))


def _luma(frame: Frame) -> np.ndarray:
    """(h, w) some samples of luma, 8-bit levels."""
    return frame.planes[0][1::3, 1::3].astype(np.float32) / np.float32(1 << (frame.format.bit_depth - 8))


def _plain(frames: np.ndarray) -> np.ndarray:
    """Every frame's mean brought to the smoothed mean."""
    means = frames.mean(axis=(1, 2))
    wanted = gaussian_filter1d(means, PLAIN_FRAMES, mode="nearest")
    return np.asarray(np.clip(frames * (wanted / means)[:, None, None], 0, 255))


def _rms(errors: np.ndarray) -> float:
    """Of places of a twelfth of the picture, but for what is the same on all frames, which nothing tells: levels."""
    rows, columns = (
        np.array_split(np.arange(count), parts) for count, parts in zip(errors.shape[1:], (3, 4), strict=True)
    )
    cells = np.stack([errors[:, r][:, :, c].mean(axis=(1, 2)) for r in rows for c in columns], axis=1)
    return round(float(np.sqrt(np.mean(np.square(cells - cells.mean(axis=0))))), 3)


def _fast(errors: np.ndarray) -> float:
    means = errors.mean(axis=(1, 2))
    return round(float(np.sqrt(np.mean(np.square(np.diff(means))) / 2)), 3)


def _db(errors: np.ndarray) -> float:
    return round(float(np.mean([psnr(float(np.square(one).sum()), one.size) for one in errors])), 2)
