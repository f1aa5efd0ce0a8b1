"""The card of the noise step: its curve drawn by hand, how good the measure is, places to measure in."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from grevin.desktop.treatment_path.shot_chart import CurvesOfShot
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.core.test_noise import noisy, without_grain
from tests.desktop.conftest import settle
from tests.jobs.doing import studied


@pytest.fixture
def window(new_window, qtbot: QtBot, tmp_path: Path) -> Window:
    path = write_video(tmp_path / "noisy.mkv", noisy(without_grain(8), 6.0))
    window: Window = new_window(path)
    window.do("go_bench")
    window.session.add_step("noise")
    studied(qtbot, window)
    return window


CONTROL_SHIFT = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


def points(window: Window) -> tuple[dict[str, float], ...]:
    return window.session.treatment.steps[0].settings.get("curve", ())


def curve(window: Window) -> CurvesOfShot:
    return window.bench.path.card(1).chart.curves


def test_the_curve_is_drawn_by_pointer(qtbot: QtBot, window: Window) -> None:
    chart = window.bench.path.card(1).chart
    assert chart.sure.isVisible()
    assert chart.sure.value() > 70
    spots = curve(window)._spots()
    middle = len(spots) // 2
    start = spots[middle].toPoint()
    QTest.mousePress(curve(window), Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(curve(window), start + QPoint(0, 25))
    QTest.mouseRelease(curve(window), Qt.MouseButton.LeftButton, pos=start + QPoint(0, 25))
    studied(qtbot, window)
    drawn = points(window)
    assert len(drawn) == len(spots)
    assert drawn[middle]["noise"] < drawn[0]["noise"] - 1, "dragged down"
    assert "drawn by hand" in window.bench.path.card(1)._facts.text()
    assert not chart.sure.isVisible(), "what is drawn was not measured"
    free = QPoint(curve(window).width() - 6, 40)
    QTest.mouseClick(curve(window), Qt.MouseButton.LeftButton, pos=free)
    studied(qtbot, window)
    assert len(points(window)) == len(spots) + 1, "a click beside adds one"
    QTest.mouseDClick(curve(window), Qt.MouseButton.LeftButton, pos=curve(window)._spots()[-1].toPoint())
    studied(qtbot, window)
    assert len(points(window)) == len(spots), "a double click takes it out"
    window.do("undo")
    window.do("undo")
    window.do("undo")
    studied(qtbot, window)
    assert not points(window)
    assert chart.sure.isVisible()


def test_the_curve_is_drawn_by_keys(qtbot: QtBot, window: Window) -> None:
    curve(window).setFocus()
    before = curve(window)._hand.points[0][1]
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_Up):
        QTest.keyClick(curve(window), key)
        settle(qtbot, window)
    studied(qtbot, window)
    assert points(window)[0]["noise"] == pytest.approx(before + 0.2, abs=0.02)
    count = len(points(window))
    QTest.keyClick(curve(window), Qt.Key.Key_Delete)
    studied(qtbot, window)
    assert len(points(window)) == count - 1
    assert len(window.session.treatment.steps) == 1, "Del took out a point, not the step"


def test_the_curve_is_kept_for_recipes(qtbot: QtBot, window: Window) -> None:
    measured = curve(window)._hand.points
    QTest.keyClick(window.bench.table, Qt.Key.Key_K, CONTROL_SHIFT)
    studied(qtbot, window)
    assert [(one["level"], one["noise"]) for one in points(window)] == list(measured)
    assert "The curve is kept" in window.messages.text


def test_what_more_than_noise_went_is_evidence(qtbot: QtBot, window: Window) -> None:
    window.do("evidence")
    settle(qtbot, window)
    assert "nothing but noise was taken" in window.bench.path.card(1)._facts.text()
    assert window.bench.table.look.evidence is not None
