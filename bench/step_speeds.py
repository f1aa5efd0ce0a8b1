"""How fast steps are at 720x576, each with empty settings on material with its own fault: the suite `steps`.

Frames are pulled on all processors, as when an output is written, without reading and writing: what a step needs by
itself. Wall times depend on the machine and on what else it does; processor time is beside them. What a step learns of
a shot is timed by itself. Each is laid over a camera's move over an open photograph, 4:2:0, 8 bits.
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from bench.clips import CLIPS, pristine
from bench.noise import noisy
from bench.on_fields import interlaced
from bench.over_clips import suite_over_clips
from grevin.core.measure.area import Box
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.border import BorderDamage
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.damage.dropout import DropoutDamage
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.damage.light import BandDamage, FlickerDamage
from grevin.core.quality.damage.scratch import ScratchDamage
from grevin.core.quality.damage.wobble import WobbleDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.families.shape import ShapeSource
from grevin.core.treatment.recipe import Treatment, TreatmentStep

Luma = npt.NDArray[np.uint8]
SHOWN = "splash"  # a pan with water, rock and sky, of the clips that only report
SEED = 21
GRAIN = 3.0  # 8-bit levels
STANDING = 3  # frames for which grain stands
HIGH = 1920, 1080  # px, of one trial
QUALITY = 15  # of JPEG
SHIFT_PX = 2  # of colour
FOG_PX = 12.0  # by which a picture is softened
TREMBLE_PX = 1.0  # standard deviation, from line to line
PIECE = Box(300, 200, 400, 300)  # pixels of the enlarged picture
REPEATS = 5


@dataclass(frozen=True)
class Trial:
    """A step with its settings, on some material."""

    step: str
    fault: str
    settings: dict[str, Any]
    shown: str = SHOWN


TRIALS = {
    "dirt": Trial("dirt", "dirt", {}),
    "scratch": Trial("scratch", "scratch", {}),
    "flicker": Trial("flicker", "flicker", {}),
    "flicker in patches": Trial("flicker", "patches", {}),
    "bands": Trial("bands", "bands", {}),
    "noise": Trial("noise", "grain", {}),
    "noise, quick": Trial("noise", "grain", {"quick": True}),
    "noise that stands": Trial("noise", "standing grain", {}),
    "noise at 1080": Trial("noise", "large grain", {}),
    "dropout": Trial("dropout", "dropout", {}),
    "edges": Trial("edges", "edges", {}),
    "compression": Trial("compression", "codec", {}),
    "compression, quick": Trial("compression", "codec", {"speed": "quick"}),
    "stairs": Trial("stairs", "lines", {}),
    "gradients": Trial("gradients", "fog", {}),
    "chroma": Trial("chroma", "colour", {}),
    "jitter": Trial("jitter", "tremble", {}),
    "wobble": Trial("wobble", "sway", {}, "dune"),
    "enlarge": Trial("enlarge", "none", {}),
    "enlarge to 1080": Trial("enlarge", "none", {"height": 1080}),
    "enlarge, quick": Trial("enlarge", "none", {"speed": "quick"}),
    "enlarge to 1080, quick": Trial("enlarge", "none", {"speed": "quick", "height": 1080}),
    "enlarge along edges": Trial("enlarge", "none", {"way": "edges"}),
    "enlarge by Lanczos": Trial("enlarge", "none", {"way": "lanczos"}),
}


def run_step_speeds(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the steps; each is a clip of this suite.

    Raises:
        UsageError: for a name that does not exist.
    """
    return suite_over_clips("steps", wanted, list(TRIALS), lambda name: [_timed(name)], _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    told = ("frames_per_second", "processor_seconds_a_frame", "learned_in_seconds", "changed_share", "piece_ms")
    return {f"{row['clip']}_{name}": row[name] for row in rows for name in told if name in row}


def _timed(name: str) -> dict[str, Any]:
    trial = TRIALS[name]
    frames = _material(trial.fault, trial.shown)
    chain = _chain(frames, trial)
    begun = time.perf_counter()
    chain.prepare(Progress(), range(len(frames)))
    learned = time.perf_counter()
    before = time.process_time()
    changed = sum(
        made is not frames[number]
        for number, made in enumerate(in_parallel(chain.result.frame, range(len(chain.result))))
    )
    row = {
        "clip": name, "learned_in_seconds": round(learned - begun, 2),
        "frames_per_second": round(len(frames) / (time.perf_counter() - learned), 2),
        "processor_seconds_a_frame": round((time.process_time() - before) / len(frames), 3),
        "changed_share": round(changed / len(frames), 3),
    }  # fmt: skip
    last = chain.result
    return {**row, "piece_ms": _piece(last)} if isinstance(last, ShapeSource) and last.drafts else row


def _piece(last: ShapeSource) -> float:
    """Median time until a part of a picture can be seen."""
    times = []
    for number in range(REPEATS):
        begun = time.perf_counter()
        last.draft(number, PIECE)
        times.append(time.perf_counter() - begun)
    return round(1000 * statistics.median(times), 1)


def _chain(frames: list[Frame], trial: Trial) -> Chain:
    step = TreatmentStep.make(trial.step, trial.settings)
    return Chain(MemorySource(frames, f"speed of {trial.step}"), Treatment(steps=(step,)))


def _material(fault: str, shown: str) -> list[Frame]:
    clip = next(one for one in CLIPS if one.name == shown)
    if fault == "dropout":
        woven = interlaced(clip, "top_first", len(clip.frames) // 2)
        assert woven is not None
        return _through(DropoutDamage(SEED), woven)
    clean = pristine(clip)
    if fault == "standing grain":
        return noisy(clean, GRAIN, 0.0, SEED, STANDING)
    if fault == "large grain":
        return _through(DAMAGES["grain"], [_larger(frame) for frame in clean])
    if fault in DAMAGES:
        return _through(DAMAGES[fault], clean)
    return [FAULTS[fault](frame) for frame in clean] if fault in FAULTS else clean


def _larger(frame: Frame) -> Frame:
    fmt = replace(frame.format, width=HIGH[0], height=HIGH[1])
    sizes = [shape[::-1] for shape in fmt.plane_shapes()]
    planes = zip(frame.planes, sizes, strict=True)
    return Frame(
        frame.number, fmt, tuple(cv2.resize(plane, size, interpolation=cv2.INTER_CUBIC) for plane, size in planes)
    )


def _through(damage: Any, frames: list[Frame]) -> list[Frame]:
    source = damage.over(MemorySource(frames, "clean"))
    return [source.frame(number) for number in range(len(frames))]


DAMAGES: dict[str, Any] = {
    "sway": WobbleDamage(SEED),
    "dirt": DirtDamage(SEED), "scratch": ScratchDamage(SEED), "flicker": FlickerDamage(SEED),
    "patches": FlickerDamage(SEED, "patches"), "bands": BandDamage(SEED), "grain": GrainDamage(SEED, GRAIN),
    "edges": BorderDamage(SEED),
}  # fmt: skip


def _coded(frame: Frame) -> Frame:
    made = []
    for plane in frame.planes:
        packed = cv2.imencode(".jpg", plane, [cv2.IMWRITE_JPEG_QUALITY, QUALITY])[1]
        made.append(np.asarray(cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE), np.uint8))
    return replace(frame, planes=tuple(made))


def _doubled(frame: Frame) -> Frame:
    luma, *colour = frame.planes
    return replace(frame, planes=(np.repeat(luma[::2], 2, axis=0)[: len(luma)], *colour))


def _shifted(frame: Frame) -> Frame:
    luma, *colour = frame.planes
    return replace(frame, planes=(luma, *(np.roll(plane, SHIFT_PX, axis=1) for plane in colour)))


def _trembling(frame: Frame) -> Frame:
    by = np.random.default_rng((SEED, frame.number)).normal(0, TREMBLE_PX, frame.format.height)
    made = []
    for plane in frame.planes:
        height, width = plane.shape
        across, down = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
        own = by[:: max(1, round(len(by) / height))][:height] * width / frame.format.width
        across += own[:, None].astype(np.float32)
        made.append(np.asarray(cv2.remap(plane, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)))
    return replace(frame, planes=tuple(made))


def _in_fog(frame: Frame) -> Frame:
    soft = [cv2.GaussianBlur(plane.astype(np.float32), (0, 0), FOG_PX) for plane in frame.planes]
    return replace(frame, planes=tuple(np.rint(plane).astype(np.uint8) for plane in soft))


FAULTS: dict[str, Callable[[Frame], Frame]] = {
    "fog": _in_fog, "codec": _coded, "lines": _doubled, "colour": _shifted, "tremble": _trembling,
}  # fmt: skip
