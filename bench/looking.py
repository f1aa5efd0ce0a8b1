"""How fast looking is: indexing, seeking, playing in the real window, reopening a long reel.

Long reels are made by carrying the packets of one group of pictures over again and again. Times depend on the
machine and on what else it does; `stolen` says how much of the processor others took meanwhile (virtual machines).
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from bench.speed import dirty_source
from grevin.core.measure.scope_pictures import scope_picture
from grevin.core.measure.scopes import take_samples
from grevin.core.media.opening import open_reel
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.display import to_screen
from grevin.core.progress import Progress

RATE = Fraction(25)
GROUP = 250  # pictures in a group: the longest that encoders make by default
HOUR = 90_000  # frames
SEEKS = 40
REPEATS = 9


@dataclass(frozen=True)
class Material:
    """One kind of reel to look at."""

    name: str
    codec: str
    size: tuple[int, int]
    layout: str
    options: dict[str, str]
    frames: int


MATERIAL = (
    Material("sd-ffv1.mkv", "ffv1", (720, 576), "yuv422p", {"level": "3", "slicecrc": "1", "g": "1"}, 250),
    Material("sd-h264.mp4", "libx264", (720, 576), "yuv420p", {"g": str(GROUP), "bf": "3", "crf": "20"}, GROUP),
    Material(
        "hd-h264.mp4",
        "libx264",
        (1920, 1080),
        "yuv420p",
        {"g": "50", "bf": "2", "preset": "veryfast", "crf": "20"},
        250,
    ),
    Material("hd-prores.mov", "prores_ks", (1920, 1080), "yuv422p10le", {}, 75),
)


def make_reel(folder: Path, material: Material) -> Path:
    """A textured, grainy, panning picture in one codec."""
    path = folder / material.name
    source = dirty_source(min(40, material.frames), material.size)
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(material.codec, rate=RATE, options=material.options)
        stream.width, stream.height, stream.pix_fmt = *material.size, material.layout
        for number in range(material.frames):
            luma = source.frame(number % len(source)).planes[0]
            picture = np.ascontiguousarray(np.dstack([luma, np.roll(luma, 9, 1), luma // 2 + 60]))
            frame = av.VideoFrame.from_ndarray(picture, "rgb24").reformat(format=material.layout)
            frame.pts, frame.time_base = number, 1 / RATE
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def make_long(group: Path, path: Path, frames: int) -> Path:
    """A long reel of the same group of pictures, its packets carried over."""
    with av.open(str(group)) as source:
        packets = [
            (bytes(packet), packet.pts, packet.dts, packet.is_keyframe)
            for packet in source.demux(video=0) if packet.size
        ]  # fmt: skip
        first = source.streams.video[0]
        base = first.time_base or 1 / RATE
        span = round(len(packets) / RATE / base)
        with av.open(str(path), "w") as target:
            stream = target.add_stream_from_template(first)
            for turn in range(frames // len(packets)):
                for data, pts, dts, key in packets:
                    packet = av.Packet(data)
                    packet.pts, packet.dts = (pts or 0) + turn * span, (dts or 0) + turn * span
                    packet.time_base, packet.stream, packet.is_keyframe = base, stream, key
                    target.mux(packet)
    return path


def _median_ms(times: list[float]) -> float:
    return round(1000 * statistics.median(times), 1)


def _timed(act: Any) -> float:
    started = time.perf_counter()
    act()
    return time.perf_counter() - started


def _reading(path: Path) -> dict[str, float]:
    """Decoding one after another, at random, and making the screen's picture."""
    reel = open_reel(path)
    reel.frame(0)
    dice = np.random.default_rng(1)
    onward = [_timed(lambda number=number: reel.frame(number)) for number in range(1, min(31, len(reel)))]
    screens = [_timed(lambda: to_screen(reel.frame(5))) for _ in range(REPEATS)]
    frame = reel.frame(5)
    scopes = [_timed(lambda: scope_picture(take_samples(frame), "colour waveform", (280, 130))) for _ in range(REPEATS)]
    seeks = [_seek(path, int(number)) for number in dice.integers(0, len(reel), SEEKS)]
    reel.close()
    return {
        "decode_ms": _median_ms(onward), "screen_ms": _median_ms(screens), "scope_ms": _median_ms(scopes),
        "random_ms": _median_ms(seeks), "random_most_ms": round(1000 * max(seeks), 1),
    }  # fmt: skip


def _seek(path: Path, number: int) -> float:
    """To one frame, by a reader that holds no other."""
    reel = open_reel(path)
    seconds = _timed(lambda: reel.frame(number))
    reel.close()
    return seconds


def _window(path: Path, *words: str) -> dict[str, float]:
    """The real window in a process of its own, offscreen."""
    screen = path.parent / "screen.json"
    screen.write_text(json.dumps({"screens": [{"name": "s", "x": 0, "y": 0, "width": 1280, "height": 800,
        "logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}]}))  # fmt: skip
    environment = {**os.environ, "QT_QPA_PLATFORM": f"offscreen:configfile={screen}", "HOME": str(path.parent),
        "XDG_DATA_HOME": str(path.parent)}  # fmt: skip
    command = [sys.executable, "-m", "grevin.desktop.timing", str(path), *words]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=True)
    figures: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return figures


def _stolen() -> tuple[int, int]:
    """(stolen, all) ticks of the processor so far; nothing where the system does not count them."""
    try:
        ticks = [int(part) for part in Path("/proc/stat").read_text().splitlines()[0].split()[1:9]]
    except (OSError, ValueError):
        return 0, 1
    return ticks[7], sum(ticks)


def _long(folder: Path, group: Path) -> dict[str, float]:
    hour = make_long(group, folder / "hour.mp4", HOUR)
    started = time.perf_counter()
    reel = open_reel(hour, patient=False)
    assert isinstance(reel, VideoFile)
    reel.frame(0)
    usable = time.perf_counter() - started
    reel.finish_index(Progress())
    indexed = time.perf_counter() - started
    places = np.random.default_rng(2).integers(0, HOUR, SEEKS)
    seeks = [_timed(lambda number=int(number): reel.frame(number)) for number in places]
    reel.close()
    two_hours = make_long(group, folder / "two-hours.mp4", 2 * HOUR)
    opened = _window(two_hours)["first_picture_s"]
    again = _window(two_hours)["first_picture_s"]
    return {
        "hour_usable_s": round(usable, 2), "hour_indexed_s": round(indexed, 2),
        "indexing_times_real_time": round(HOUR / float(RATE) / indexed),
        "hour_random_ms": _median_ms(seeks), "hour_random_most_ms": round(1000 * max(seeks), 1),
        "two_hours_first_opening_s": opened, "two_hours_reopening_s": again,
    }  # fmt: skip


def run_looking(progress: Progress) -> dict[str, Any]:
    """All figures of looking."""
    figures: dict[str, Any] = {"format": "grevin-bench", "version": 1, "suite": "looking"}
    progress.begin(len(MATERIAL) + 1, "Looking")
    stolen, ticks = _stolen()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for material in MATERIAL:
            path = make_reel(folder, material)
            figures[material.name] = {
                **_reading(path), "window": _window(path), "window_with_scopes": _window(path, "scopes")
            }  # fmt: skip
            progress.advance()
        figures["long_reels"] = _long(folder, folder / "sd-h264.mp4")
        progress.advance()
    taken, counted = _stolen()
    figures["stolen"] = round((taken - stolen) / max(1, counted - ticks), 3)
    return figures
