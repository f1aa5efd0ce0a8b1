"""How well the survey tells cuts, repeats and cadences, and how fast it is: the suite `survey`.

Sequences are joined from open clips and drawn scenes; what is done to them is known. None of the rules was set on
these sequences: segments, orders and effects are drawn anew from seeds of their own.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import numpy.typing as npt

from bench.clips import REPORTS, RULES, ClipUnavailableError, load_clip
from bench.coded import repeatable
from bench.groups import by_group
from bench.moving import SCENES
from grevin.core.measure.cadence import Curve, cadence_of_shot, repeats_of
from grevin.core.media.opening import open_reel
from grevin.core.parallel import in_parallel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.base import damaged
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.survey.measures.base import Seen, Sight
from grevin.core.survey.measures.change import ChangeMeasure
from grevin.core.survey.measures.dirt import DirtCount
from grevin.core.survey.measures.fields import FieldChange
from grevin.core.survey.survey import run_survey
from grevin.core.treatment.verdicts import same_place

Luma = npt.NDArray[np.uint8]
SIZE = (360, 288)  # width, height of joined sequences
CUT_SEEDS = tuple(range(3301, 3309))  # the rules were tried on others
SEGMENTS = 14
DRAWN = ("fast_pan", "flag", "sparkle", "snow", "wheel", "hands")
EFFECTS = ("plain", "flash", "white", "black", "flicker", "fade", "dissolve", "tear")
CLIPS = RULES[:9]  # footage that sequences are joined from
COUNTED = (*RULES[:9], *REPORTS[:6])  # footage on which dirt is counted
REPEAT_LENGTH = 61
HELD_LEVELS = 0.2  # 8-bit levels between smooth pictures: the least of all other pairs of the clips is .29
CARRIERS = ("exact", "h264 crf 18", "h264 crf 26", "mpeg4", "fresh noise")
NOISES = {"fresh noise": 2.0, "noise 5": 5.0}  # 8-bit levels
CODECS: dict[str, tuple[str, dict[str, str]]] = {
    "mpeg4": ("mpeg4", {"qscale": "4"}), "mpeg2": ("mpeg2video", {"b": "3000k", "g": "12", "bf": "2"}),
}  # fmt: skip
PATTERNS = ("none", "random", "2:2", "5 in 6", "freeze")
SPEED_FRAMES = 240
SD = (720, 576)


def run_survey_suite(progress: Progress) -> dict[str, Any]:
    """Measure everything."""
    jobs: list[Callable[[], dict[str, Any]]] = [_cuts, _repeats, _pulldown, _dirt, _speed]
    together: dict[str, Any] = {}
    skipped: list[dict[str, str]] = []
    progress.begin(len(jobs), "Survey")
    for job in jobs:
        try:
            together.update(job())
        except ClipUnavailableError as fault:
            skipped.append({"clip": job.__name__.strip("_"), "reason": str(fault)})
        progress.advance()
    return {
        "format": "grevin-bench", "version": 1, "suite": "survey", "clips": [], "skipped": skipped,
        "together": {name: round(float(value), 4) for name, value in together.items()},
    }  # fmt: skip


def score(found: set[Any], true: set[Any]) -> tuple[int, int, int]:
    """(right, false, missed)."""
    return len(found & true), len(found - true), len(true - found)


def f_measure(right: int, false: int, missed: int) -> float:
    """Harmonic mean of precision and recall; 1 where there was nothing to find and nothing was found."""
    return 1.0 if right + false + missed == 0 else 2 * right / (2 * right + false + missed)


@lru_cache
def material() -> tuple[tuple[Luma, ...], ...]:
    """Runs of pictures of one shot each, (288, 360) uint8."""
    runs = []
    for clip in CLIPS:
        source = load_clip(clip, seed=31)
        runs.append(tuple(_fitted(source.frame(number).luma8()) for number in range(len(source))))
    runs += [
        tuple(_fitted(np.clip(SCENES[name](float(n)), 16, 235).astype(np.uint8)) for n in range(16)) for name in DRAWN
    ]
    return tuple(runs)


def _fitted(luma: Luma) -> Luma:
    return np.asarray(cv2.resize(luma, SIZE, interpolation=cv2.INTER_AREA), np.uint8)


# Cuts


def _cuts() -> dict[str, float]:
    right = false = missed = on_flash = 0
    for seed in CUT_SEEDS:
        lumas, true, flashes = joined(seed)
        survey = run_survey(source_of(lumas, f"cuts {seed}"), range(len(lumas)), "first", Progress())
        found = set(survey.cuts)
        counts = score(found, true)
        right, false, missed = right + counts[0], false + counts[1], missed + counts[2]
        on_flash += len(found & flashes - true)
    return {"cuts_f": f_measure(right, false, missed), "cuts_true": right + missed, "cuts_false": false,
            "cuts_called_on_flashes": on_flash}  # fmt: skip


def joined(seed: int) -> tuple[list[Luma], set[int], set[int]]:
    """Pictures of a joined sequence, its cuts, and the frames where a flash or the like begins or ends."""
    rng = np.random.default_rng(seed)
    lumas: list[Luma] = []
    cuts: set[int] = set()
    flashes: set[int] = set()
    order = rng.permutation(len(material()))[:SEGMENTS]
    soft = False
    for place, index in enumerate(order):
        run = list(material()[int(index)])
        start = int(rng.integers(0, max(1, len(run) - 15)))
        run = run[start : start + int(rng.integers(12, 24))]
        effect = "plain" if soft else EFFECTS[int(rng.integers(0, len(EFFECTS)))]
        first = len(lumas)
        if soft:
            lumas = _dissolved(lumas, run)
        else:
            if place:
                cuts.add(first)
            run, struck = _effected(run, effect, rng)
            flashes |= {first + offset for offset in struck}
            lumas += run
        last = place + 1 == len(order)
        soft = effect == "dissolve" and not last
        if effect == "fade" and not last:
            lumas += [np.full_like(run[0], 16)] * 4  # the next shot begins out of black: a cut
    return lumas, cuts, flashes


def _effected(run: list[Luma], effect: str, rng: np.random.Generator) -> tuple[list[Luma], set[int]]:
    """A run with something done to it, and the frames at which something begins and ends."""
    middle = int(rng.integers(4, len(run) - 4))
    if effect in {"flash", "white", "black", "tear"}:
        spoilt = {
            "flash": np.clip(run[middle].astype(int) + 90, 0, 255).astype(np.uint8),
            "white": np.full_like(run[middle], 250), "black": np.full_like(run[middle], 16),
            "tear": np.roll(run[middle], 140, axis=1),
        }[effect]  # fmt: skip
        return [*run[:middle], spoilt, *run[middle + 1 :]], {middle, middle + 1}
    if effect == "flicker":
        gains = 1 + 0.08 * rng.standard_normal(len(run))
        return [np.clip(one * gain, 0, 255).astype(np.uint8) for one, gain in zip(run, gains, strict=True)], set()
    if effect == "fade":
        shares = np.linspace(1, 0, 10)
        faded = [np.asarray(run[-1] * share + 16 * (1 - share), np.uint8) for share in shares]
        return [*run, *faded], set()
    return run, set()


def _dissolved(lumas: list[Luma], run: list[Luma]) -> list[Luma]:
    """A run that comes in over twelve frames of what was there."""
    shares = np.linspace(0, 1, 14)[1:-1]
    last, first = lumas[-1].astype(np.float32), run[0].astype(np.float32)
    mixed = [np.asarray(last * (1 - share) + first * share + 0.5, np.uint8) for share in shares]
    return [*lumas, *mixed, *run]


def source_of(lumas: list[Luma], name: str, rate: Fraction = Fraction(25)) -> MemorySource:
    """Grey pictures as an 8-bit 4:2:0 source."""
    height, width = lumas[0].shape
    fmt = PictureFormat(width, height, "yuv", 8, chroma="4:2:0", rate=rate)
    chroma = tuple(np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:])
    return MemorySource([Frame(number, fmt, (luma, *chroma)) for number, luma in enumerate(lumas)], name)


# Repeats


@dataclass(frozen=True)
class Told:
    """What a run of pictures was told to be."""

    right: int
    false: int
    missed: int
    named: bool


def _repeats() -> dict[str, float]:
    runs = [(clip, pattern, carrier) for clip in range(len(CLIPS) - 1) for pattern in PATTERNS for carrier in CARRIERS]
    told = list(in_parallel(lambda number: _tell(*runs[number]), range(len(runs))))
    figures: dict[str, float] = {}
    for carrier in CARRIERS:
        chosen = [one for one, run in zip(told, runs, strict=True) if run[2] == carrier]
        figures[f"repeats_f_{carrier.replace(' ', '_')}"] = _together(chosen)
    plain = [one.named for one, run in zip(told, runs, strict=True) if run[1] in {"none", "random", "freeze"}]
    regular = [one.named for one, run in zip(told, runs, strict=True) if run[1] in {"2:2", "5 in 6"}]
    return {"repeats_f": _together(told), **figures, "cadence_right": float(np.mean(regular)),
            "none_named_on_plain": float(np.mean(plain))}  # fmt: skip


def _together(told: list[Told]) -> float:
    return f_measure(*(sum(getattr(one, name) for one in told) for name in ("right", "false", "missed")))


def _tell(clip: int, pattern: str, carrier: str) -> Told:
    run = material()[clip]
    rng = np.random.default_rng((clip, PATTERNS.index(pattern)))
    order, repeats = order_of(pattern, rng)
    forth_and_back = [*run, *run[-2:0:-1]]
    clean = [forth_and_back[place % len(forth_and_back)] for place in order]
    repeats |= {frame for frame in range(1, REPEAT_LENGTH) if same_picture(clean[frame - 1], clean[frame])}
    rate = Fraction(30000, 1001) if pattern == "5 in 6" else Fraction(25)
    lumas = carried(clean, carrier, rng)
    sights = [Sight(frame, before) for before, frame in _pairs(lumas)]
    change, displaced = _changes(sights)
    fields = np.array([(np.nan, np.nan), *(FieldChange().of(sight) for sight in sights)], np.float32)
    found = set(np.nonzero(repeats_of(change, displaced))[0].tolist())
    name = cadence_of_shot(change, displaced, [fields[:, 0], fields[:, 1]], rate).name
    wanted = {"2:2": "12.5 in 25", "5 in 6": "25 in 29.97"}.get(pattern)
    named = name == wanted if wanted else name in {"none", "irregular"}
    return Told(*score(found, repeats), named)


def same_picture(last: Luma, this: Luma) -> bool:
    """Whether the clip itself holds its picture: drawn animation does now and then."""
    smooth = [cv2.GaussianBlur(luma, (0, 0), 3.0) for luma in (last, this)]
    return float(cv2.absdiff(*smooth).mean()) < HELD_LEVELS


def order_of(pattern: str, rng: np.random.Generator) -> tuple[list[int], set[int]]:
    """Which picture each frame shows, and which frames repeat the one before."""
    order, at = [0], 0
    frozen = range(20, 24)
    for frame in range(1, REPEAT_LENGTH):
        again = {
            "none": False, "random": bool(rng.random() < 0.1), "2:2": frame % 2 == 1, "5 in 6": frame % 6 == 5,
            "freeze": frame in frozen,
        }[pattern]  # fmt: skip
        at += not again
        order.append(at)
    return order, {frame for frame in range(1, REPEAT_LENGTH) if order[frame] == order[frame - 1]}


def carried(lumas: list[Luma], carrier: str, rng: np.random.Generator) -> list[Luma]:
    """Pictures as a carrier hands them on: one of `CARRIERS`, `NOISES`, `CODECS`, or "h264 crf N"."""
    if carrier == "exact":
        return lumas
    if carrier in NOISES:
        return [np.clip(one + rng.normal(0, NOISES[carrier], one.shape), 0, 255).astype(np.uint8) for one in lumas]
    codec, options = CODECS.get(carrier) or ("libx264", {"crf": carrier.split()[-1]})
    return _through_codec(lumas, codec, options)


def _through_codec(lumas: list[Luma], codec: str, options: dict[str, str]) -> list[Luma]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "run.mkv"
        write_grey(path, lumas, codec, options)
        reel = open_reel(path)
        try:
            return [reel.frame(number).luma8().copy() for number in range(len(reel))]
        finally:
            reel.close()


def write_grey(path: Path, lumas: list[Luma], codec: str, options: dict[str, str]) -> None:
    """Pictures as a video file."""
    height, width = lumas[0].shape
    with av.open(str(path), "w") as container:
        stream: Any = repeatable(container.add_stream(codec, rate=25, options=options))
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        if codec == "mpeg4":
            stream.codec_context.qmin = stream.codec_context.qmax = 4
        for place, luma in enumerate(lumas):
            planes = np.concatenate([luma.ravel(), np.full(width * height // 2, 128, np.uint8)])
            frame = av.VideoFrame.from_ndarray(planes.reshape(height * 3 // 2, width), "yuv420p")
            frame.pts = place
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def _changes(sights: list[Sight]) -> tuple[Curve, Curve]:
    """(N + 1,) each: the largest change, and the share of it that one displacement explains."""
    found = np.array([(np.nan, np.nan), *(ChangeMeasure().of(sight)[:2] for sight in sights)], np.float32)
    return found[:, 0], found[:, 1]


def _pairs(lumas: list[Luma]) -> list[tuple[Seen, Seen]]:
    source = source_of(lumas, "pairs")
    seen = [Seen(source.frame(number)) for number in range(len(source))]
    return list(pairwise(seen))


def _pulldown() -> dict[str, float]:
    """Film at 24 frames spread over the fields of 29.97: named so, with and without noise."""
    right = []
    for clip in range(4):
        for sigma in (0.0, 2.0):
            rng = np.random.default_rng((clip, 5))
            woven = [_noisy(one, sigma, rng) for one in spread_over_fields(list(material()[clip]), 50)]
            sights = [Sight(frame, before) for before, frame in _pairs(woven)]
            change, displaced = _changes(sights)
            fields = np.array([(np.nan, np.nan), *(FieldChange().of(sight) for sight in sights)], np.float32)
            cadence = cadence_of_shot(change, displaced, [fields[:, 0], fields[:, 1]], Fraction(30000, 1001))
            right.append(cadence.name == "3:2 fields")
    return {"pulldown_named": float(np.mean(right))}


def spread_over_fields(run: list[Luma], count: int) -> list[Luma]:
    """Two and three fields of each picture in turn, top field first."""
    forth_and_back = [*run, *run[-2:0:-1]]
    fields: list[int] = []
    film = 0
    while len(fields) < 2 * count:
        fields += [film] * (2 if film % 2 == 0 else 3)
        film += 1
    woven = []
    for frame in range(count):
        top, bottom = (forth_and_back[fields[2 * frame + parity] % len(forth_and_back)] for parity in (0, 1))
        picture = top.copy()
        picture[1::2] = bottom[1::2]
        woven.append(picture)
    return woven


def _noisy(luma: Luma, sigma: float, rng: np.random.Generator) -> Luma:
    return luma if not sigma else np.clip(luma + rng.normal(0, sigma, luma.shape), 0, 255).astype(np.uint8)


# Dirt


def _dirt() -> dict[str, float]:
    """How well the counter counts: specks of the simulator, and clean frames."""
    precision: dict[str, float] = {}
    recall: dict[str, float] = {}
    on_clean = frames = 0
    for clip in COUNTED:
        clean = load_clip(clip)
        damage = DirtDamage(seed=78)
        dirty = damaged(clean, damage)
        right = false = missed = 0
        for number in range(1, 12):
            true = [mark.area for mark in damage.add(clean.frame(number))[1].marks]
            found = _specks(dirty, number)
            hits = [any(same_place(area, mark) for mark in true) for area in found]
            right, false = right + sum(hits), false + len(hits) - sum(hits)
            missed += sum(not any(same_place(area, mark) for area in found) for mark in true)
            on_clean += len(_specks(clean, number))
            frames += 1
        precision[clip.name] = right / max(1, right + false)
        recall[clip.name] = 1 - missed / max(1, right + missed)
    return {**by_group("dirt_precision", precision), **by_group("dirt_recall", recall),
            "dirt_on_clean_frame": on_clean / max(1, frames)}  # fmt: skip


def _specks(source: Any, number: int) -> list[tuple[int, int, int, int]]:
    before, here, after = (Seen(source.frame(number + offset)) for offset in (-1, 0, 1))
    spots = DirtCount().spots_of(Sight(here, before, after))[1]
    return [(int(s["x"]), int(s["y"]), int(s["width"]), int(s["height"])) for s in spots]


# Speed


def _speed() -> dict[str, float]:
    """Frames of the reel a second on 720x576, from an H.264 file; and memory, short and five times as long."""
    with tempfile.TemporaryDirectory() as folder:
        short, long = Path(folder) / "short.mkv", Path(folder) / "long.mkv"
        run = [np.asarray(cv2.resize(one, SD, interpolation=cv2.INTER_CUBIC), np.uint8) for one in material()[6]]
        pictures = [*run, *run[-2:0:-1]] * (SPEED_FRAMES // len(run) + 1)
        write_grey(short, pictures[: SPEED_FRAMES // 4], "libx264", {"crf": "20"})
        write_grey(long, pictures[:SPEED_FRAMES], "libx264", {"crf": "20"})
        figures = {}
        for depth in ("full", "quick", "first"):
            reel = open_reel(long)
            begun = time.perf_counter()
            run_survey(reel, range(len(reel)), depth, Progress())
            figures[f"{depth}_frames_per_second"] = len(reel) / (time.perf_counter() - begun)
            reel.close()
        peaks = [_peak_of(path) for path in (short, long)]
        return {**figures, "peak_mb": peaks[1], "peak_growth": peaks[1] / peaks[0]}


def _peak_of(path: Path) -> float:
    """Peak memory of a full survey in a process of its own, MB."""
    subprocess.run([sys.executable, "-m", "grevin.cli.main", "survey", str(path)], check=True, capture_output=True)
    return resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
