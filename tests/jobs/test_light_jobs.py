"""Worked jobs about light, done in the real window: docs/jobs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.core.picture.frame import Frame
from grevin.demo.light_reels import HURRY, light_reels, steady
from grevin.demo.time_reels import FERRY, HARBOUR, QUAY, REGATTA
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.desktop.conftest import WAIT_MS, settle

FRAMES = 24
STUDY_MS = 60_000


@pytest.fixture(scope="module")
def reels(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The first frames of the demo's reels of light."""
    folder = tmp_path_factory.mktemp("reels")
    for reel in light_reels():
        write_video(folder / f"{reel.name}.mkv", [reel.make(number) for number in range(FRAMES)])
    return folder


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


def test_a_time_lapse_that_flickers(qtbot: QtBot, new_window, reels: Path, tmp_path: Path) -> None:
    path = reels / "harbour-time-lapse.mkv"
    window: Window = new_window(path)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=STUDY_MS)
    assert "flicker" in window.session.findings.kinds()
    window.do("go_bench")
    words = add(qtbot, window, "flickers")
    assert "The whole frame flickers by" in words
    assert "at random" in words
    QTest.keyClick(window.bench.table, Qt.Key.Key_T)
    settle(qtbot, window)
    assert window.bench.table.look.computed is not None, "what is taken away is shown"
    source = open_reel(path)
    before = [source.frame(number) for number in range(FRAMES)]
    made = written(qtbot, window, tmp_path / "lapse.mkv")
    truth = at_rest(HARBOUR, HURRY)
    assert off(made, truth) < off(before, truth) / 8
    assert "The whole frame flickers by" in window.output.result.text()


def test_lamps_in_one_corner(qtbot: QtBot, new_window, reels: Path, tmp_path: Path) -> None:
    path = reels / "tram-under-a-lamp.mkv"
    window: Window = new_window(path)
    assert "ingle parts of the picture flicker" in add(qtbot, window, "flickers")
    chart = window.bench.path.card(1).chart
    QTest.mouseClick(chart.ask, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Behind the step" in chart.words.text(), timeout=STUDY_MS)
    assert "No flicker in this shot" in chart.words.text()
    most = [float(one._places.max()) for one in chart.maps]
    assert most[1] < most[0] / 3, "the map of what is left is dark"
    assert not chart.ask.isVisible()
    QTest.mouseClick(chart.curves, Qt.MouseButton.LeftButton, pos=chart.curves.rect().center())
    settle(qtbot, window)
    assert window.session.place.frame == pytest.approx(FRAMES / 2, abs=1), "a click on the curve goes there"
    source = open_reel(path)
    before = [source.frame(number) for number in range(FRAMES)]
    made = written(qtbot, window, tmp_path / "lamp.mkv")
    truth = at_rest(QUAY, 1.0)
    corners = [
        (rows, columns) for rows in (slice(0, 150), slice(-150, None)) for columns in (slice(0, 200), slice(-200, None))
    ]
    lit = max(corners, key=lambda where: off(before, truth, where))
    assert off(made, truth, lit) < 0.5 * off(before, truth, lit)
    quiet = min(corners, key=lambda where: off(before, truth, where))
    assert off(made, truth, quiet) < off(before, truth, quiet) + 0.5


def test_a_band_that_rolls(qtbot: QtBot, new_window, reels: Path, tmp_path: Path) -> None:
    path = reels / "regatta-with-a-band.mkv"
    window: Window = new_window(path)
    words = add(qtbot, window, "band")
    assert "rolls up by" in words
    source = open_reel(path)
    before = [source.frame(number) for number in range(FRAMES)]
    made = written(qtbot, window, tmp_path / "band.mkv")
    truth = at_rest(REGATTA, 1.0)
    rows = slice(240, 280), slice(None)
    assert off(made, truth, rows) < 0.25 * off(before, truth, rows)
    window.do("go_bench")
    window.session.select(1)
    settle(qtbot, window)
    QTest.keyClick(window.bench.table, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    settle(qtbot, window)
    steps = window.session.treatment.steps
    assert [(step.step, step.enabled) for step in steps] == [("bands", False), ("light", True)]
    assert len(steps[1].regions) >= 2, "a region for each dark place"
    by_hand = written(qtbot, window, tmp_path / "band-by-hand.mkv")
    assert off(made, truth, rows) < off(by_hand, truth, rows) < 0.6 * off(before, truth, rows)
    window.do("undo")
    assert [(step.step, step.enabled) for step in window.session.treatment.steps] == [("bands", True)]


def test_is_it_flicker_at_all(qtbot: QtBot, new_window, reels: Path, tmp_path: Path) -> None:
    window: Window = new_window(reels / "ferry-that-pulses.mkv")
    assert "the same every 8 frames" in add(qtbot, window, "flickers")
    calm = tmp_path / "calm.mkv"
    write_video(calm, at_rest(FERRY, 1.0))
    window.open(calm)
    qtbot.waitUntil(lambda: window.session.entry.title == "calm", timeout=WAIT_MS)
    studied(qtbot, window)
    assert "No flicker in this shot" in add(qtbot, window, "flickers")
    source = open_reel(calm)
    made = written(qtbot, window, tmp_path / "calm-out.mkv")
    assert all(np.array_equal(one.planes[0], source.frame(n).planes[0]) for n, one in enumerate(made)), "bit for bit"
