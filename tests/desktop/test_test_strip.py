"""The test strip in the real window."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSpinBox
from pytestqt.qtbot import QtBot

from grevin.desktop.style import look as style
from grevin.desktop.window import Window
from tests.desktop.conftest import WAIT_MS, settle
from tests.desktop.test_window import press

pytestmark = pytest.mark.gui


def test_the_test_strip_shows_values_and_takes_one(qtbot: QtBot, treated: Window) -> None:
    bench, strip = treated.bench, treated.bench.value_strip
    bench.path.card(1).findChild(QSpinBox, "grow_px").setValue(2)
    settle(qtbot, treated)
    press(qtbot, treated, Qt.Key.Key_P)
    assert strip.isVisible()
    assert strip.choice.currentText() == "Grow", "the setting that was worked on last"
    cells = strip.cells
    qtbot.waitUntil(lambda: cells.shown == len(cells._cells), timeout=WAIT_MS)
    assert [cell.value for cell in cells._cells] == [0, 1, 2, 3, 4]
    assert cells._cells[cells.chosen].value == 2
    assert "(present)" in cells.caption(cells.chosen + 1)
    assert "found" in cells.caption(1)
    shown = {place: look.after.tobytes() for place, look in cells._looks.items()}
    assert len(set(shown.values())) > 1, "values differ"
    last = len(cells._cells)
    qtbot.mouseClick(cells, Qt.MouseButton.LeftButton, pos=cells.rect_of(last).center().toPoint())
    settle(qtbot, treated)
    assert treated.session.treatment.steps[0].settings["grow_px"] == 4
    assert strip.isVisible(), "the strip stays, round the new value"
    qtbot.keyClick(cells, Qt.Key.Key_Tab)
    chosen = cells._cells[cells.chosen].value
    qtbot.keyClick(cells, Qt.Key.Key_Return)
    settle(qtbot, treated)
    assert treated.session.treatment.steps[0].settings["grow_px"] == chosen
    assert strip.choice.findText("Median size") < 0, "what has no say is not offered"
    strip.choice.setCurrentIndex(strip.choice.findText("Dirt is"))
    strip.choice.activated.emit(strip.choice.currentIndex())
    settle(qtbot, treated)
    assert [cell.words for cell in cells._cells] == ["both", "darker", "brighter"]
    assert not strip.first.isVisible()
    press(qtbot, treated, Qt.Key.Key_P)
    assert bench.table.isVisible()


def test_the_test_strip_with_evidence_over_neighbouring_frames(qtbot: QtBot, treated: Window) -> None:
    bench, cells = treated.bench, treated.bench.value_strip.cells
    press(qtbot, treated, Qt.Key.Key_V)
    press(qtbot, treated, Qt.Key.Key_P)
    strip = bench.value_strip
    strip.first.setValue(2)
    strip.last.setValue(200)
    settle(qtbot, treated)
    assert [cell.value for cell in cells._cells] == [2, 52, 101, 150, 200]
    picture = cells.grab().toImage()
    violet = [
        (x, y) for x in range(0, picture.width(), 2) for y in range(0, picture.height(), 2)
        if picture.pixelColor(x, y).getRgb()[:3] == style.EVIDENCE
    ]  # fmt: skip
    assert violet
    frames: set[int] = set()
    treated.session.place_changed.connect(lambda place: frames.add(place.frame))
    qtbot.keyClick(cells, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: len(frames) >= 6, timeout=WAIT_MS)
    qtbot.keyClick(cells, Qt.Key.Key_Space)
    settle(qtbot, treated)
    assert max(frames) - min(frames) <= 8, "four frames on either side"
    view = bench.table.view
    cells.zoom_wanted.emit(1)
    assert bench.table.view != view
    cells.moved.emit(-20.0, 0.0)
    press(qtbot, treated, Qt.Key.Key_Escape)
    assert not bench.trying.on


def test_no_test_strip_without_a_step(qtbot: QtBot, window: Window) -> None:
    press(qtbot, window, Qt.Key.Key_P)
    assert "Add or select a step first" in window.messages.text
    assert window.bench.table.isVisible()
