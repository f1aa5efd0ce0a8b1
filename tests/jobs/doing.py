"""What worked jobs do in the real window, as a person would."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.core.picture.frame import Frame
from grevin.demo.light_reels import light_reels, steady
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.desktop.conftest import settle

FRAMES = 24
STUDY_MS = 60_000


def drawn(folder: Path, name: str) -> Path:
    """The first frames of one of the demo's reels of light."""
    (reel,) = (one for one in light_reels() if one.name == name)
    return write_video(folder / f"{name}.mkv", [reel.make(number) for number in range(FRAMES)])


def studied(qtbot: QtBot, window: Window) -> None:
    settle(qtbot, window)
    qtbot.waitUntil(lambda: not window.bench.studying.busy and not window.bench.busy, timeout=STUDY_MS)
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
    qtbot.waitUntil(lambda: not window.output.writing, timeout=STUDY_MS)
    reel = open_reel(path)
    return [reel.frame(number) for number in range(len(reel))]


def at_rest(shot: int, pace: float) -> list[Frame]:
    """The frames as they would be in light at rest."""
    return [steady(shot, pace, number) for number in range(FRAMES)]


def off(frames: list[Frame], truth: list[Frame], where: tuple[slice, slice] = (slice(None), slice(None))) -> float:
    """Levels by which the light of a place is off, but for what is the same on all frames."""
    errors = [frame.planes[0][where].mean() - truth[n].planes[0][where].mean() for n, frame in enumerate(frames)]
    return float(np.std(errors))
