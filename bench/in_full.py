"""Reels of full length, each written once from its first frame to its last: the suite `full`, which takes hours."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np

from bench.looking import RATE, make_long
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress

GROUP = 250  # frames that are drawn; the rest of a reel is their packets again
LOOK_S = 2.0  # between two looks at the memory
EARLY_S = 240.0  # caches are full by then


@dataclass(frozen=True)
class Full:
    """A reel of full length.

    Attributes:
        size: width and height.
        frames: how many.
    """

    name: str
    size: tuple[int, int]
    frames: int


REELS = {one.name: one for one in (Full("sd", (720, 576), 180_000), Full("hd", (1920, 1080), 30_000))}
RECIPE = '{"format": "grevin-recipe", "version": 1, "steps": []}'


def run_full(progress: Progress) -> dict[str, Any]:
    """Two hours of standard and twenty minutes of high definition: whether all is there, and the most memory."""
    progress.begin(len(REELS), "Reels of full length")
    found: dict[str, float] = {}
    for reel in REELS.values():
        with tempfile.TemporaryDirectory() as folder:
            found |= {f"{reel.name}_{key}": value for key, value in written(Path(folder), reel).items()}
        progress.advance()
    return {"format": "grevin-bench", "version": 1, "suite": "full", "together": found}


def written(folder: Path, reel: Full) -> dict[str, float]:
    """Write a reel and look at the memory meanwhile."""
    material, output, recipe = folder / "reel.mp4", folder / "out.mkv", folder / "recipe.json"
    make_long(_drawn(folder / "group.mp4", reel.size), material, reel.frames)
    recipe.write_text(RECIPE)
    words = ["apply", str(recipe), str(material), str(output)]
    environment = {**os.environ, "XDG_CACHE_HOME": str(folder / "cache")}
    begun = time.perf_counter()
    run = subprocess.Popen(
        [sys.executable, "-m", "grevin.cli.main", *words], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        env=environment,
    )  # fmt: skip
    most = early = 0
    while run.poll() is None:
        most = max(most, _most_memory_kb(run.pid))
        early = most if time.perf_counter() - begun < EARLY_S else early
        time.sleep(LOOK_S)
    seconds = time.perf_counter() - begun
    made = open_reel(output)
    all_there = run.returncode == 0 and len(made) == reel.frames
    made.close()
    return {
        "all_there": float(all_there), "frames_per_second": round(reel.frames / seconds, 1),
        "most_mb": round(most / 1024), "most_mb_in_the_first_minutes": round(early / 1024),
    }  # fmt: skip


def _most_memory_kb(pid: int) -> int:
    """The most that a process took until now."""
    try:
        rows = Path(f"/proc/{pid}/status").read_text().splitlines()
    except OSError:  # it has just ended
        return 0
    return next((int(row.split()[1]) for row in rows if row.startswith("VmHWM")), 0)


def _drawn(path: Path, size: tuple[int, int]) -> Path:
    """Some seconds of soft shapes that move."""
    width, height = size
    down, across = np.mgrid[0:height, 0:width].astype(np.float32)
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream("libx264", rate=RATE, options={"g": "50", "crf": "18"})
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        for number in range(GROUP):
            turn = 2 * np.pi * number / GROUP
            luma = 120 + 60 * np.sin(across / 90 + turn) + 40 * np.cos(down / 70 - turn)
            cv2.circle(luma, (int(width * (0.5 + 0.3 * np.cos(turn))), height // 2), height // 8, 220, -1)
            picture = np.repeat(np.clip(luma, 16, 235).astype(np.uint8)[..., None], 3, axis=2)
            frame = av.VideoFrame.from_ndarray(picture, "rgb24").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, 1 / RATE
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path
