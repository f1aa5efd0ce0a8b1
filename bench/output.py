"""How fast outputs are written and played from disk, and what they outlast: the suite `output`.

Ratios are taken in one run: machines differ, and are shared.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bench.outlasting import KILLS, WINDOW_KILLS, kills, memory, window_kills, workers
from bench.speed import dirty_source
from grevin.core.media.opening import open_reel
from grevin.core.media.video_writer import Start, VideoWriter
from grevin.core.parallel import in_parallel
from grevin.core.picture.display import to_screen
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.render.making import Making
from grevin.core.render.ready import ReadyFrames
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan, TreatedReel
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SIZES = {"sd": ((720, 576), 100), "hd": ((1920, 1080), 30)}  # and frames
DIRT = Treatment(steps=(TreatmentStep.make("dirt"),))


def run_output(progress: Progress) -> dict[str, Any]:
    """Measure everything."""
    found: dict[str, float] = {}
    progress.begin(len(SIZES) + KILLS + WINDOW_KILLS + 1, "Outputs")
    with tempfile.TemporaryDirectory() as folder:
        for name, (size, count) in SIZES.items():
            found |= {f"{name}_{key}": value for key, value in _speeds(Path(folder), size, count).items()}
            progress.advance()
        found |= workers(Path(folder)) | memory(Path(folder))
        progress.advance()
        found |= kills(Path(folder), progress) | window_kills(Path(folder), progress)
    return {"format": "grevin-bench", "version": 1, "suite": "output", "together": found}


def _speeds(folder: Path, size: tuple[int, int], count: int) -> dict[str, float]:
    """Frames a second, and what reading, writing and proving cost beyond steps and codec."""
    source = dirty_source(min(40, count), size)
    frames = [source.frame(number % len(source)).with_number(number) for number in range(count)]
    material = folder / f"{size[0]}.mkv"
    coding_s = _seconds(lambda: _write(material, frames))
    reading_s = _seconds(lambda: _read(material))
    step_s = _seconds(lambda: _treat(material, DIRT))
    copy_s = _seconds(lambda: _run(material, folder / "copy.mkv", Treatment(), None))
    anew_s = _seconds(lambda: _run(material, folder / "anew.mkv", DIRT, None))
    store = ReadyFrames(folder / f"ready-{size[0]}")
    keeping_s = _seconds(lambda: _run(material, folder / "keeping.mkv", DIRT, store))
    again_s = _seconds(lambda: _run(material, folder / "again.mkv", DIRT, ReadyFrames(store.folder)))
    shown_s = _seconds(lambda: _show(material, store))
    # what cannot be saved: the source read, the frames coded, the output read back
    codec_s = reading_s + coding_s + reading_s
    return {
        "codec_frames_per_second": round(count / codec_s, 1), "copy_frames_per_second": round(count / copy_s, 1),
        "copy_over_codec": round(copy_s / codec_s, 3), "dirt_frames_per_second": round(count / anew_s, 1),
        "dirt_over_step_and_codec": round(anew_s / (step_s + coding_s + reading_s), 3),
        "keeping_over_not": round(keeping_s / anew_s, 3), "ready_frames_per_second": round(count / again_s, 1),
        "ready_over_codec": round(again_s / codec_s, 3), "shown_frames_per_second": round(count / shown_s, 1),
        "kept_bytes_a_sample": round(store.used_bytes / sum(frame.nbytes for frame in frames), 3),
    }  # fmt: skip


def _seconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def _write(path: Path, frames: list[Frame]) -> None:
    writer = VideoWriter(path, None, frames[0].format, range(len(frames)), True, Start())
    for frame in frames:
        writer.write(frame)
    writer.finish()
    writer.commit()


def _read(path: Path) -> None:
    reel = open_reel(path)
    for number in range(len(reel)):
        reel.frame(number)
    reel.close()


def _treat(path: Path, treatment: Treatment) -> None:
    reel = open_reel(path)
    chain = Chain(reel, treatment)
    for _ in in_parallel(lambda number: chain.result.frame(number).number, range(len(reel))):
        pass
    reel.close()


def _run(path: Path, output: Path, treatment: Treatment, ready: ReadyFrames | None) -> None:
    reel = open_reel(path)
    request = RunRequest(output, range(len(reel)), overwrite=True)
    run(reel, Plan.whole(treatment), request, Progress(), ready=ready).rows.close()
    reel.close()


def _show(path: Path, store: ReadyFrames) -> None:
    """As playing does: each frame from disk, then for the screen."""
    reel = open_reel(path)
    making = Making(TreatedReel(reel, Plan.whole(DIRT)), range(len(reel)), ready=store)
    for number in range(len(reel)):
        shown = making.shown(number)
        assert shown is not None, "kept by the run before"
        to_screen(shown)
    reel.close()
