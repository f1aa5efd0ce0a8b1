"""What worked jobs do in the real window, as a person would."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.core.picture.frame import Frame
from grevin.core.picture.halving import halved
from grevin.demo.light_reels import LIGHTS, steady
from grevin.demo.noise_reels import Rgb, noise_reels
from grevin.demo.surface_reels import surface_reels, unscratched
from grevin.demo.time_reels import PAL, as_frame
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.desktop.conftest import WAIT_MS, settle

FRAMES = 24
SCRATCHED_FROM = 24  # frame of the regatta from which all its scratches are there
PART = (300, 40, 416, 320)  # left, top, width, height: px of the reels of noise


def drawn(folder: Path, name: str) -> Path:
    """The first frames of one of the demo's reels of light, at half its size: a quarter of the time."""
    shot, pace, damage = LIGHTS[name]
    frames = [halved(damage.add(_steady(shot, pace, number))[0]) for number in range(FRAMES)]
    return write_video(folder / f"{name}.mkv", frames)


@lru_cache(maxsize=FRAMES)
def _steady(shot: int, pace: float, number: int) -> Frame:
    """Painted once for the reel and for what is true of it."""
    return steady(shot, pace, number)


def part_of(frame: Frame, part: tuple[int, int, int, int] = PART) -> Frame:
    """A part of a frame of the demo's reels, which a smaller size would change."""
    left, top, width, height = part
    fmt = replace(frame.format, width=width, height=height)
    planes = [frame.planes[0][top : top + height, left : left + width]]
    planes += [p[top // 2 : (top + height) // 2, left // 2 : (left + width) // 2] for p in frame.planes[1:]]
    return Frame(frame.number, fmt, tuple(np.ascontiguousarray(plane) for plane in planes))


def surface_reel(
    folder: Path, name: str, right: Callable[[int], Frame], numbers: range, part: tuple[int, int, int, int]
) -> tuple[Path, list[Frame], list[Frame]]:  # fmt: skip
    """A part of one of the demo's reels with a hurt surface: the file, its frames, and what they should be."""
    (reel,) = (one for one in surface_reels() if one.name == name)
    frames, truth = [], []
    for place, number in enumerate(numbers):  # one after the other: what both are painted from is painted once
        for make, some in ((reel.make, frames), (right, truth)):
            some.append(replace(part_of(make(number), part), number=place))
    return write_video(folder / f"{name}.mkv", frames), frames, truth


def scratched_reel(folder: Path, length: int) -> tuple[Path, list[Frame], list[Frame]]:
    """A part of the scratched regatta: the file, its frames, and those without scratches."""
    numbers = range(SCRATCHED_FROM, SCRATCHED_FROM + length)
    return surface_reel(folder, "regatta-with-scratches", unscratched, numbers, PART)


def noisy_reel(folder: Path, name: str, length: int) -> tuple[Path, list[Frame]]:
    """A part of the first frames of one of the demo's reels of noise: the file, and its frames."""
    (reel,) = (one for one in noise_reels() if one.name == name)
    frames = [part_of(reel.make(number)) for number in range(length)]
    return write_video(folder / f"{name}.mkv", frames), frames


def without_noise(picture: Callable[[int], Rgb], length: int) -> list[Frame]:
    """The frames as they would be without noise."""
    return [part_of(as_frame(number, picture(number), PAL)) for number in range(length)]


def away(frame: Frame, truth: Frame, plane: int = 0) -> float:
    """Levels rms by which a frame is not what it should be."""
    return float(np.sqrt(np.mean(np.square(frame.planes[plane].astype(np.float32) - truth.planes[plane]))))


def studied(qtbot: QtBot, window: Window) -> None:
    settle(qtbot, window)
    qtbot.waitUntil(lambda: not window.bench.studying.busy and not window.bench.busy, timeout=WAIT_MS)
    settle(qtbot, window)


def add(qtbot: QtBot, window: Window, words: str) -> str:
    """Choose a step by what is wrong; what its card then says."""
    window.bench.table.setFocus()
    QTest.keyClick(window.bench.table, Qt.Key.Key_N)
    QTest.keyClicks(QApplication.focusWidget(), words)
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    studied(qtbot, window)
    return window.bench.path.card(1)._facts.text()


def written(qtbot: QtBot, window: Window, path: Path) -> list[Frame]:
    window.do("go_output")
    window.output.path.setText(str(path))
    QTest.mouseClick(window.output.write, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not window.output.writing, timeout=WAIT_MS)
    reel = open_reel(path)
    return [reel.frame(number) for number in range(len(reel))]


def at_rest(shot: int, pace: float) -> list[Frame]:
    """The frames as they would be in light at rest."""
    return [halved(_steady(shot, pace, number)) for number in range(FRAMES)]


def off(frames: list[Frame], truth: list[Frame], where: tuple[slice, slice] = (slice(None), slice(None))) -> float:
    """Levels by which the light of a place is off, but for what is the same on all frames."""
    errors = [frame.planes[0][where].mean() - truth[n].planes[0][where].mean() for n, frame in enumerate(frames)]
    return float(np.std(errors))
