"""How right time is put: the suite `time`. Repeats taken out, fields made frames, missing frames made anew.

Clean progressive clips are the truth; what is done to them is known. Beside each figure stands the plain way: for made
frames the mix of both neighbours, for fields the better of the filter bwdif and the mean of the lines above and below.
Means, worst clips and the difference of both groups of clips (`bench.clips`).
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from typing import Any

import cv2
import numpy as np

from bench.captures import measure_pick
from bench.clips import CLIPS, Clip, ClipUnavailableError, Wear, pristine, worn
from bench.groups import by_group
from bench.held_in_hand import measure_hands
from bench.noise import noisy
from bench.over_fields import measure_over_fields
from bench.repeating import measure_repeats
from bench.survey import source_of
from bench.timing import chain_of
from grevin.core.media.deinterlacing import both_fields
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource

REBUILT = (3, 7, 11), (5, 9, 12)  # two runs, so that each has good frames around
FRAMES = 15
GRAINS = (0.0, 2.5, 5.0)  # 8-bit levels
GRAIN_SEED = 117  # raised after rules were set on the grain of the last
# Lines of a picture that one line of a field is read from, and their weights.
CAMERA = (1, 2, 1)
OTHERWISE = {"not_softened": (0, 1, 0), "two_lines_as_one": (0, 1, 1)}
OTHERWISE_GRAIN = 2.5  # 8-bit levels
# Grain larger than a pixel, as film has where it was scanned: 8-bit levels, and px of the blur that makes it.
LARGE_GRAINS = {"soft": (3.0, 1.0), "coarse": (3.0, 2.0), "strong_and_coarse": (6.0, 2.0)}
TIED_SEEDS = 4
SPEED_TURNS = 5
PANS = {"pan 11 px": 11.3, "pan 18 px": 17.6}  # a frame, as cameras pan; a picture of an open clip moves
PAL = Fraction(25)
Figures = tuple[list[dict[str, Any]], dict[str, float]]


def run_time(progress: Progress) -> dict[str, Any]:
    """Measure everything."""
    jobs: list[Callable[[], Figures]] = [
        _rebuild, _fields, measure_over_fields, measure_pick, measure_repeats, measure_hands, _tied, _speeds,
    ]  # fmt: skip
    rows: list[dict[str, Any]] = []
    together: dict[str, float] = {}
    skipped: list[dict[str, str]] = []
    progress.begin(len(jobs), "Time")
    for job in jobs:
        try:
            more, figures = job()
            rows += more
            together.update(figures)
        except ClipUnavailableError as fault:
            skipped.append({"clip": job.__name__.strip("_"), "reason": str(fault)})
        progress.advance()
    return {
        "format": "grevin-bench", "version": 1, "suite": "time", "clips": rows, "skipped": skipped,
        "together": {name: round(float(value), 4) for name, value in together.items()},
    }  # fmt: skip


def clean_clips() -> list[tuple[str, list[Frame]]]:
    """Frames of the clips as they are, and of pans over a picture of one."""
    found = [(clip.name, _frames_of(clip)) for clip in CLIPS if clip.move is None or clip.move.held == 1]
    wide = cv2.resize(found[0][1][0].luma8(), None, fx=2.5, fy=2.5, interpolation=cv2.INTER_CUBIC)
    for name, speed in PANS.items():
        moves = (np.array([[1.0, 0, -speed * n - 60], [0, 1.0, -40 - 0.4 * n]]) for n in range(FRAMES))
        pans = [cv2.warpAffine(wide, move, (720, 576), flags=cv2.INTER_CUBIC) for move in moves]
        source = source_of([np.asarray(pan, np.uint8) for pan in pans], name)
        found.append((name, [source.frame(number) for number in range(FRAMES)]))
    return found


def _frames_of(clip: Clip) -> list[Frame]:
    return [replace(frame, format=replace(frame.format, rate=PAL)) for frame in pristine(clip)[:FRAMES]]


def _psnr(one: np.ndarray, other: np.ndarray) -> float:
    return psnr(*squared_error(one, other))


def _rebuild() -> Figures:
    """Frames made anew, grain and all, against those that were there."""
    from skimage.metrics import structural_similarity

    rows: list[dict[str, Any]] = []
    likeness: dict[str, float] = {}
    one_a_side: dict[str, float] = {}
    for name, frames in clean_clips():
        source = MemorySource(frames, name)
        ours, plain, alike, alone = [], [], [], []
        for numbers in REBUILT:
            full, single = (
                chain_of(source, "rebuild", {"frames": list(numbers), **more}).result
                for more in ({}, {"around": "one a side"})
            )
            for number in numbers:
                truth, made = source.frame(number).luma8(), full.frame(number).luma8()
                mix = cv2.addWeighted(source.frame(number - 1).luma8(), 0.5, source.frame(number + 1).luma8(), 0.5, 0)
                ours.append(_psnr(made, truth))
                alone.append(_psnr(single.frame(number).luma8(), truth))
                plain.append(_psnr(mix, truth))
                alike.append(float(structural_similarity(made, truth)))  # type: ignore[no-untyped-call]
        rows.append({"clip": f"rebuild {name}", "db": round(np.mean(ours), 2), "plain_db": round(np.mean(plain), 2)})
        likeness[name] = float(np.mean(alike))
        one_a_side[name] = float(np.mean(ours) - np.mean(alone))
    gains = {row["clip"].removeprefix("rebuild "): float(row["db"]) - float(row["plain_db"]) for row in rows}
    return rows, {
        **by_group("rebuild_gain_db", gains), **by_group("rebuild_ssim", likeness),
        "rebuild_gain_of_two_a_side_db": float(np.mean(list(one_a_side.values()))),
    }  # fmt: skip


def interlaced(source: MemorySource, weights: tuple[int, ...] = CAMERA) -> MemorySource:
    """Every other picture of a clip in each field, top first, its lines softened as a camera's are."""
    frames = []
    for number in range(len(source) // 2):
        first, second = (source.frame(2 * number + part) for part in (0, 1))
        planes = []
        for one, other in zip(first.planes, second.planes, strict=True):
            plane = soft(one, weights).copy()
            plane[1::2] = soft(other, weights)[1::2]
            planes.append(plane)
        fmt = replace(first.format, field_order="top_first")
        frames.append(Frame(number, fmt, tuple(planes)))
    return MemorySource(frames, "interlaced")


def soft(plane: np.ndarray, weights: tuple[int, ...]) -> np.ndarray:
    """Vertically filtered."""
    kernel = np.array(weights, np.float32)[:, None] / sum(weights)
    return np.asarray(np.rint(cv2.filter2D(plane.astype(np.float32), -1, kernel)), plane.dtype)


def _fields() -> Figures:
    """The lines that are made, against the better plain way of each clip, without grain and with."""
    rows: list[dict[str, Any]] = []
    figures: dict[str, float] = {}
    clips = clean_clips()
    ways = [(f"grain_{grain:g}", grain, 0.0, CAMERA) for grain in GRAINS]
    ways += [(f"grain_{name}", grain, size_px, CAMERA) for name, (grain, size_px) in LARGE_GRAINS.items()]
    ways += [(name, OTHERWISE_GRAIN, 0.0, weights) for name, weights in OTHERWISE.items()]
    for label, grain, size_px, weights in ways:
        gains: dict[str, float] = {}
        for name, frames in clips:
            source = _grainy(name, frames, grain, size_px)
            row = _deinterlaced(f"fields_{label} {name}", source, weights)
            gains[name] = float(row["db"]) - float(row["plain_db"])
            rows.append(row)
        figures.update(by_group(f"fields_{label}_gain_db", gains))
    return rows, figures


def _grainy(name: str, frames: list[Frame], grain: float, size_px: float) -> MemorySource:
    """A clip under grain of 8-bit levels, of single pixels or larger."""
    if not size_px:
        return worn(frames, Wear(grain), GRAIN_SEED, name)
    return MemorySource(noisy(frames, grain, size_px, GRAIN_SEED), name)


def _deinterlaced(label: str, source: MemorySource, weights: tuple[int, ...]) -> dict[str, Any]:
    woven = interlaced(source, weights)
    result = chain_of(woven, "fields", {"what": "deinterlace", "order": "top first"}).result
    ours, filtered, meant = [], [], []
    for number in range(1, len(woven) - 1):
        truth = soft(source.frame(2 * number).planes[0], weights)
        reference = both_fields([woven.frame(number + offset) for offset in (-1, 0, 1)], True)[0].planes[0]
        made, wanted = result.frame(number).planes[0][1::2], truth[1::2]
        ours.append(_psnr(made, wanted))
        filtered.append(_psnr(reference[1::2], wanted))
        meant.append(_psnr(_mean_of_lines(truth[0::2], len(wanted)), wanted))
    plain = max(np.mean(filtered), np.mean(meant))
    return {"clip": label, "db": round(np.mean(ours), 2), "plain_db": round(plain, 2)}


def _mean_of_lines(known: np.ndarray, count: int) -> np.ndarray:
    """The mean of the line above and the one below each missing one."""
    wide = known.astype(np.float32)
    below = np.concatenate([wide[1:], wide[-1:]])
    return np.asarray(np.rint((wide + below) / 2)[:count])


def _tied() -> Figures:
    """A bar that jumps over a textured ground, found by itself and led by one tie line."""
    gains = []
    for seed in range(TIED_SEEDS):
        rng = np.random.default_rng(seed)
        ground = cv2.GaussianBlur(rng.uniform(40, 200, (240, 320)).astype(np.float32), (0, 0), 2)
        ground = np.clip((ground - ground.mean()) * 4 + 110, 20, 220).astype(np.uint8)
        pictures = [cv2.rectangle(ground.copy(), (20 + 45 * n, 60), (28 + 45 * n, 180), 235, -1) for n in range(6)]
        source = source_of([np.asarray(picture, np.uint8) for picture in pictures], f"bar {seed}")
        keys = [{"frame": n, "line": [24 + 45 * n, 60, 24 + 45 * n, 180]} for n in (2, 4)]
        free, led = (
            _psnr(chain_of(source, "rebuild", {"frames": [3], **more}).result.frame(3).luma8(), pictures[3])
            for more in ({}, {"ties": [{"keys": keys}], "tie_reach_px": 10})
        )
        gains.append(led - free)
    return [], {"tie_line_gain_db": float(np.mean(gains)), "tie_line_worst_gain_db": min(gains)}


def _speeds() -> Figures:
    """Frames per second at 720x576, made on all processors as when an output is written."""
    pan = MemorySource(dict(clean_clips())["pan 11 px"], "pan")
    woven, gaps = interlaced(pan), [n for n in range(3, SPEED_TURNS * len(pan) - 2, 2) if 2 < n % len(pan) < FRAMES - 2]
    figures = {}
    for name, source, settings, numbers in (
        ("rebuild", _over_and_over(pan), {"frames": gaps}, gaps),
        ("fields", _over_and_over(woven), {"what": "deinterlace"}, range(SPEED_TURNS * len(woven))),
        ("repeats", _over_and_over(pan), {}, ()), ("pick", _over_and_over(pan), {}, ()),
    ):  # fmt: skip
        chain = chain_of(source, name, settings)
        begun = time.perf_counter()
        chain.prepare(Progress())
        studied = time.perf_counter()
        made = len(list(in_parallel(chain.result.frame, numbers)))
        seconds = time.perf_counter() - studied if made else studied - begun
        figures[f"{name}_frames_per_second_720"] = (made or len(source)) / seconds
    return [], figures


def _over_and_over(source: MemorySource) -> MemorySource:
    """The same frames several times, for a run long enough to be timed."""
    frames = [source.frame(n % len(source)) for n in range(SPEED_TURNS * len(source))]
    return MemorySource(frames, f"{source.identity} over and over")
