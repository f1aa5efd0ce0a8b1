"""Worked jobs about flicker, done in the real window: docs/jobs."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.demo.light_reels import HURRY
from grevin.demo.time_reels import HARBOUR, QUAY
from grevin.desktop.window import Window
from tests.desktop.conftest import WAIT_MS, settle
from tests.jobs.doing import FRAMES, add, at_rest, drawn, off, written


def test_a_time_lapse_that_flickers(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    path = drawn(tmp_path, "harbour-time-lapse")
    window: Window = new_window(path)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
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


def test_lamps_in_one_corner(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    path = drawn(tmp_path, "tram-under-a-lamp")
    window: Window = new_window(path)
    assert "ingle parts of the picture flicker" in add(qtbot, window, "flickers")
    chart = window.bench.path.card(1).chart
    QTest.mouseClick(chart.ask, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Behind the step" in chart.words.text(), timeout=WAIT_MS)
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
        (rows, columns) for rows in (slice(0, 75), slice(-75, None)) for columns in (slice(0, 100), slice(-100, None))
    ]
    lit = max(corners, key=lambda where: off(before, truth, where))
    assert off(made, truth, lit) < 0.5 * off(before, truth, lit)
    quiet = min(corners, key=lambda where: off(before, truth, where))
    assert off(made, truth, quiet) < off(before, truth, quiet) + 0.5
