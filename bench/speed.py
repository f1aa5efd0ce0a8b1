"""How fast and how large: treating and writing a reel, looking at it, and memory over a long one.

Times are medians. They depend on the machine; compare ratios.
"""

from __future__ import annotations

import resource
import statistics
import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from grevin.core.cache import ByteCache
from grevin.core.media.opening import open_reel
from grevin.core.media.writing import open_writer
from grevin.core.motion.flow import estimate_flow
from grevin.core.picture.display import to_screen
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SD = (720, 576)
REPEATS = 7
FRAMES = 48
LOOK_CACHE_BYTES = 512 << 20


def dirty_source(count: int, size: tuple[int, int] = SD) -> MemorySource:
    """A textured picture panning at 4.5 pixels a frame, with grain and dirt, 8-bit 4:2:0."""
    width, height = size
    rng = np.random.default_rng(1)
    field = cv2.GaussianBlur(rng.standard_normal((height, width + 600)).astype(np.float32), (0, 0), 2.5)
    texture = np.asarray(115 + 60 * field / float(np.abs(field).max()), np.float32)
    fmt = PictureFormat(width, height, "yuv", 8, chroma="4:2:0", rate=Fraction(25))
    chroma = tuple(np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:])
    frames = []
    for number in range(count):
        move = np.array([[1.0, 0.0, -4.5 * (number % 120)], [0.0, 1.0, 0.0]])
        luma = cv2.warpAffine(texture, move, size) + rng.normal(0, 2, (height, width))
        frame = Frame(number, fmt, (np.clip(luma, 0, 255).astype(np.uint8), *chroma))
        frames.append(DirtDamage().add(frame)[0])
    return MemorySource(frames, "speed")


def write_reel(path: Path, source: MemorySource, length: int) -> Path:
    """The source, repeated to `length` frames, as an FFV1 file."""
    writer = open_writer(path, None, source.format, range(length))
    for number in range(length):
        writer.write(source.frame(number % len(source)))
    writer.finish()
    writer.commit()
    return path


def milliseconds(act: Callable[[], object]) -> float:
    """Median time of one act."""
    times = []
    for _ in range(REPEATS):
        started = time.perf_counter()
        act()
        times.append(time.perf_counter() - started)
    return round(1000 * statistics.median(times), 2)


def run_speed(long_frames: int, progress: Progress) -> dict[str, Any]:
    """All figures; a long reel of `long_frames` small pictures for memory where that is not 0."""
    treatment = Treatment(steps=(TreatmentStep.make("dirt"),))
    progress.begin(3, "Speed")
    source = dirty_source(FRAMES)
    with tempfile.TemporaryDirectory() as folder:
        reel = open_reel(write_reel(Path(folder) / "sd.mkv", source, FRAMES))
        started = time.perf_counter()
        run(reel, Plan.whole(treatment), RunRequest(Path(folder) / "out.mkv", range(FRAMES)), Progress())
        figures: dict[str, Any] = {
            "format": "grevin-bench",
            "version": 1,
            "suite": "speed",
            "apply_sd_frames_per_second": round(FRAMES / (time.perf_counter() - started), 2),
        }
        progress.advance()
        figures.update(_looking(reel, treatment))
        progress.advance()
        if long_frames:
            small = dirty_source(40, (360, 288))
            long = open_reel(write_reel(Path(folder) / "long.mkv", small, long_frames))
            run(long, Plan.whole(treatment), RunRequest(Path(folder) / "long-out.mkv", range(long_frames)), Progress())
            figures["long_reel_frames"] = long_frames
        progress.advance()
    one, other = (source.frame(number).luma8() for number in (0, 1))
    figures["motion_ms"] = milliseconds(lambda: estimate_flow(one, other))  # says how fast the machine is
    figures["peak_memory_mb"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    return figures


def _looking(reel: Any, treatment: Treatment) -> dict[str, float]:
    cache = ByteCache(LOOK_CACHE_BYTES)
    chain = Chain(reel, treatment, cache)
    chain.result.frame(10)
    values = iter(range(10, 200))

    def change() -> None:
        step = TreatmentStep.make("dirt", {"largest_px": 4000 + next(values)})
        to_screen(Chain(reel, Treatment(steps=(step,)), cache).result.frame(10))

    fresh = iter(range(20, 47))
    return {
        "first_look_at_a_frame_ms": milliseconds(lambda: to_screen(chain.result.frame(next(fresh)))),
        "changed_setting_ms": milliseconds(change),
        "cached_frame_ms": milliseconds(lambda: to_screen(chain.result.frame(10))),
    }
