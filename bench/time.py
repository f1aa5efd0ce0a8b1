"""How right time is put: the suite `time`. Repeats taken out, fields made frames, missing frames made anew.

Clean progressive clips are the truth; what is done to them is known. Beside each figure stands the plain way: for made
frames the mix of both neighbours, for fields the filter bwdif alone.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from typing import Any

import cv2
import numpy as np

from bench.clips import CLIPS, ClipUnavailableError, clip_path, scaled
from bench.survey import (
    CARRIERS,
    PATTERNS,
    Luma,
    carried,
    f_measure,
    material,
    order_of,
    same_picture,
    source_of,
    spread_over_fields,
)
from grevin.core.cache import ByteCache
from grevin.core.media.deinterlacing import both_fields
from grevin.core.media.opening import open_reel
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

REBUILT = (3, 7, 11)
FRAMES = 15
PICK_SEEDS = 8
PICK_ROUND = 41  # raised after rules were set on the captures of the last
TIED_SEEDS = 4
SPEED_TURNS = 5
PANS = {"pan 11 px": 11.3, "pan 18 px": 17.6}  # a frame, as cameras pan; a picture of an open clip moves
PAL = Fraction(25)


def run_time(progress: Progress) -> dict[str, Any]:
    """Measure everything."""
    jobs: list[Callable[[], tuple[list[dict[str, Any]], dict[str, float]]]] = [
        _rebuild, _fields, _pulldown, _pick, _repeats, _tied, _speeds,
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


def clean_clips() -> list[tuple[str, MemorySource]]:
    """Clips without added grain, and pans over a picture of one."""
    found: list[tuple[str, MemorySource]] = []
    for clip in CLIPS:
        reel = open_reel(clip_path(clip))
        frames = [scaled(reel.frame(n), clip.largest_width) for n in list(clip.frames)[:FRAMES]]
        reel.close()
        found.append(
            (clip.name, MemorySource([replace(f, format=replace(f.format, rate=PAL)) for f in frames], clip.name))
        )
    wide = cv2.resize(found[0][1].frame(0).luma8(), None, fx=2.5, fy=2.5, interpolation=cv2.INTER_CUBIC)
    for name, speed in PANS.items():
        moves = (np.array([[1.0, 0, -speed * n - 60], [0, 1.0, -40 - 0.4 * n]]) for n in range(FRAMES))
        pans = [cv2.warpAffine(wide, move, (720, 576), flags=cv2.INTER_CUBIC) for move in moves]
        found.append((name, source_of([np.asarray(pan, np.uint8) for pan in pans], name)))
    return found


def _chain(source: MemorySource, step: str, settings: dict[str, Any]) -> Chain:
    return Chain(source, Treatment(steps=(TreatmentStep.make(step, settings),)), ByteCache(512 << 20))


def _psnr(one: np.ndarray, other: np.ndarray) -> float:
    return psnr(*squared_error(one, other))


def _rebuild() -> tuple[list[dict[str, Any]], dict[str, float]]:
    from skimage.metrics import structural_similarity

    rows: list[dict[str, Any]] = []
    likeness: list[float] = []
    one_a_side: list[float] = []
    for name, source in clean_clips():
        chain = _chain(source, "rebuild", {"frames": list(REBUILT), "grain": False})
        single = _chain(source, "rebuild", {"frames": list(REBUILT), "grain": False, "around": "one a side"})
        ours, plain = [], []
        for number in REBUILT:
            truth, made = source.frame(number).luma8(), chain.result.frame(number).luma8()
            one_a_side.append(_psnr(made, truth) - _psnr(single.result.frame(number).luma8(), truth))
            mix = cv2.addWeighted(source.frame(number - 1).luma8(), 0.5, source.frame(number + 1).luma8(), 0.5, 0)
            ours.append(_psnr(made, truth))
            plain.append(_psnr(mix, truth))
            likeness.append(float(structural_similarity(made, truth)))  # type: ignore[no-untyped-call]
        rows.append({"clip": f"rebuild {name}", "db": round(np.mean(ours), 2), "plain_db": round(np.mean(plain), 2)})
    gains = [float(row["db"]) - float(row["plain_db"]) for row in rows]
    return rows, {
        "rebuild_gain_db": float(np.mean(gains)), "rebuild_worst_gain_db": min(gains),
        "rebuild_ssim": float(np.mean(likeness)), "rebuild_gain_of_two_a_side_db": float(np.mean(one_a_side)),
    }  # fmt: skip


def interlaced(source: MemorySource) -> MemorySource:
    """Every other picture of a clip in each field, top first, its lines softened as a camera's are (1-2-1)."""
    frames = []
    for number in range(len(source) // 2):
        first, second = (source.frame(2 * number + part) for part in (0, 1))
        planes = []
        for one, other in zip(first.planes, second.planes, strict=True):
            plane = soft(one).copy()
            plane[1::2] = soft(other)[1::2]
            planes.append(plane)
        fmt = replace(first.format, field_order="top_first")
        frames.append(Frame(number, fmt, tuple(planes)))
    return MemorySource(frames, "interlaced")


def soft(plane: np.ndarray) -> np.ndarray:
    """Vertically filtered 1-2-1."""
    kernel = np.array([[0.25], [0.5], [0.25]], np.float32)
    return np.asarray(np.rint(cv2.filter2D(plane.astype(np.float32), -1, kernel)), plane.dtype)


def _fields() -> tuple[list[dict[str, Any]], dict[str, float]]:
    rows: list[dict[str, Any]] = []
    figures: dict[str, float] = {}
    for motion in ("quick", "fine"):
        own = [_deinterlaced(name, source, motion) for name, source in clean_clips()]
        gains = [float(row["db"]) - float(row["plain_db"]) for row in own]
        figures[f"fields_{motion}_gain_db"] = float(np.mean(gains))
        figures[f"fields_{motion}_worst_gain_db"] = min(gains)
        rows += own
    return rows, figures


def _deinterlaced(name: str, source: MemorySource, motion: str) -> dict[str, Any]:
    """The lines that are made, against bwdif's."""
    woven = interlaced(source)
    result = _chain(woven, "fields", {"what": "deinterlace", "order": "top first", "motion": motion}).result
    ours, plain = [], []
    for number in range(1, len(woven) - 1):
        truth = soft(source.frame(2 * number).planes[0])
        reference = both_fields([woven.frame(number + offset) for offset in (-1, 0, 1)], True)[0].planes[0]
        ours.append(_psnr(result.frame(number).planes[0][1::2], truth[1::2]))
        plain.append(_psnr(reference[1::2], truth[1::2]))
    return {"clip": f"fields {motion} {name}", "db": round(np.mean(ours), 2), "plain_db": round(np.mean(plain), 2)}


def _tied() -> tuple[list[dict[str, Any]], dict[str, float]]:
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
            _psnr(_chain(source, "rebuild", {"frames": [3], **more}).result.frame(3).luma8(), pictures[3])
            for more in ({}, {"ties": [{"keys": keys}], "tie_reach_px": 10})
        )
        gains.append(led - free)
    return [], {"tie_line_gain_db": float(np.mean(gains)), "tie_line_worst_gain_db": min(gains)}


def _speeds() -> tuple[list[dict[str, Any]], dict[str, float]]:
    """Frames per second at 720x576, made on all processors as when an output is written."""
    pan = dict(clean_clips())["pan 11 px"]
    woven, gaps = interlaced(pan), [n for n in range(3, SPEED_TURNS * len(pan) - 2, 2) if 2 < n % len(pan) < FRAMES - 2]
    figures = {}
    for name, source, settings, numbers in (
        ("rebuild", _over_and_over(pan), {"frames": gaps}, gaps),
        ("fields", _over_and_over(woven), {"what": "deinterlace"}, range(SPEED_TURNS * len(woven))),
        ("repeats", _over_and_over(pan), {}, ()), ("pick", _over_and_over(pan), {}, ()),
    ):  # fmt: skip
        chain = _chain(source, name, settings)
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


def captured(lengths: list[int], transitions: bool, seed: int) -> tuple[MemorySource, list[range]]:
    """Captures of a running film: jittering a quarter of a pixel, 1.2 % of exposure, noise; and the true sets."""
    rng = np.random.default_rng((seed, PICK_ROUND))
    film = [picture.astype(np.float32) for picture in material()[seed]]
    taken: list[Luma] = []
    sets: list[range] = []

    def take(picture: np.ndarray) -> None:
        move = np.array([[1, 0, rng.normal(0, 0.25)], [0, 1, rng.normal(0, 0.25)]])
        moved = cv2.warpAffine(picture, move, picture.shape[::-1], borderMode=cv2.BORDER_REPLICATE)
        noisy = moved * (1 + rng.normal(0, 0.012)) + rng.normal(0, 3, picture.shape)
        taken.append(np.clip(np.rint(noisy), 0, 255).astype(np.uint8))

    for place, length in enumerate(lengths):
        sets.append(range(len(taken), len(taken) + length))
        for _ in range(length):
            take(film[place])
        if transitions and place + 1 < len(lengths):
            share = rng.uniform(0.3, 0.7)
            take(film[place] * (1 - share) + film[place + 1] * share)
    return source_of(taken, f"captures {seed}"), sets


def _pick() -> tuple[list[dict[str, Any]], dict[str, float]]:
    """Seven captures of each film frame, give or take one or two, with transition pictures and without."""
    shares: dict[bool, list[float]] = {True: [], False: []}
    for transitions in (True, False):
        for vary in (1, 2):
            for seed in range(PICK_SEEDS):
                lengths = np.random.default_rng((seed, vary, PICK_ROUND)).integers(7 - vary, 8 + vary, 20).tolist()
                source, sets = captured(lengths, transitions, seed)
                found = _chain(source, "pick", {}).timeline.sources.tolist()
                right = sum(sum(number in one for number in found) == 1 for one in sets)
                shares[transitions].append(right / max(len(sets), len(found)))
    return [], {
        "pick_right_with_transitions": float(np.mean(shares[True])),
        "pick_right_without": float(np.mean(shares[False])),
    }


def _pulldown() -> tuple[list[dict[str, Any]], dict[str, float]]:
    """Film over fields, undone: bit-exact on exact material."""
    right, exact = [], []
    for clip in range(8):
        run = list(material()[clip])
        woven = source_of(spread_over_fields(run, 50), f"film {clip}", Fraction(30000, 1001))
        chain = _chain(woven, "fields", {})
        result = chain.result
        right.append(result.format.rate == Fraction(24000, 1001))
        film = {picture.tobytes() for picture in run}
        exact.append(np.mean([result.frame(n).planes[0].tobytes() in film for n in range(1, len(result) - 1)]))
    return [], {"film_named": float(np.mean(right)), "film_exact_frames": float(np.mean(exact))}


def _repeats() -> tuple[list[dict[str, Any]], dict[str, float]]:
    right = false = missed = 0
    for clip in range(len(CLIPS) - 1):
        for pattern in PATTERNS:
            for carrier in CARRIERS:
                rng = np.random.default_rng((clip, 91, PATTERNS.index(pattern)))
                order, repeats = order_of(pattern, rng)
                run = material()[clip]
                turns = [*run, *run[-2:0:-1]]
                clean = [turns[place % len(turns)] for place in order]
                repeats |= {n for n in range(1, len(clean)) if same_picture(clean[n - 1], clean[n])}
                source = source_of(carried(clean, carrier, rng), f"{clip} {pattern} {carrier}")
                found = set(_chain(source, "repeats", {}).timeline.left_out().tolist())
                right, false, missed = (
                    right + len(found & repeats),
                    false + len(found - repeats),
                    missed + len(repeats - found),
                )
    return [], {"repeats_f": f_measure(right, false, missed)}
