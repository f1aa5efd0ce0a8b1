"""Settings over time, set by the mark beside a number, and seen on the reel column."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QSpinBox, QToolButton
from pytestqt.qtbot import QtBot

from grevin.desktop.treatment_path.over_time_panel import Curve
from grevin.desktop.window import Window
from tests.desktop.conftest import settle


def test_a_number_gets_key_frames_shows_its_value_and_loses_them(qtbot: QtBot, window: Window) -> None:
    session, bench = window.session, window.bench
    session.add_step("dirt")
    settle(qtbot, window)
    card = bench.path.card(1)
    grow, mark = card.findChild(QSpinBox, "grow_px"), card.findChild(QToolButton, "key_grow_px")
    first = grow.value()
    mark.click()
    settle(qtbot, window)
    assert mark.isChecked()
    session.go(8)
    settle(qtbot, window)
    assert not mark.isChecked()
    grow.setValue(first + 4)
    settle(qtbot, window)
    assert mark.isChecked(), "a number that changes over time gets a key frame where it is changed"
    (changing,) = session.treatment.steps[0].over_time
    assert [(key.frame, key.value) for key in changing.keys] == [(0, first), (8, first + 4)]
    session.go(4)
    settle(qtbot, window)
    assert grow.value() == first + 2
    assert window.column._marks.keys == (0, 8)
    assert "key frame of the selected step" in window.column._words(8)
    for frame in (8, 0):
        session.go(frame)
        settle(qtbot, window)
        mark.click()
        settle(qtbot, window)
    assert session.treatment.steps[0].over_time == ()
    assert window.column._marks.keys == ()
    session.undo()
    settle(qtbot, window)
    assert len(session.treatment.steps[0].over_time) == 1


def test_settings_that_are_seldom_changed_are_folded_away(qtbot: QtBot, window: Window) -> None:
    session, bench = window.session, window.bench
    session.add_step("dirt")
    settle(qtbot, window)
    card = bench.path.card(1)
    most, more = card.findChild(QSpinBox, "most_specks"), card.findChild(QToolButton, "more_settings")
    assert not most.isVisible()
    more.click()
    assert most.isVisible()
    more.click()
    assert not most.isVisible()
    session.change_settings(1, {"most_specks": 300})
    settle(qtbot, window)
    assert most.isVisible(), "what differs from the default is always shown"
    session.add_step("pick")
    settle(qtbot, window)
    assert bench.path.card(1).findChild(QSpinBox, "captures").text() == "found by itself"


def test_a_number_changes_with_ease_and_shows_its_curve(qtbot: QtBot, window: Window) -> None:
    session, bench = window.session, window.bench
    session.add_step("dirt")
    settle(qtbot, window)
    card = bench.path.card(1)
    for frame, value in ((0, 1), (8, 9)):
        session.go(frame)
        settle(qtbot, window)
        if frame == 0:
            card.findChild(QToolButton, "key_grow_px").click()
        card.findChild(QSpinBox, "grow_px").setValue(value)
        settle(qtbot, window)
    assert session.treatment.steps[0].over_time[0].at(2) == 3
    card.findChild(QCheckBox, "ease_grow_px").click()
    settle(qtbot, window)
    assert session.treatment.steps[0].over_time[0].at(2) == 1 + 8 * 0.15625, "slowly at both ends"
    curve = card.findChild(Curve)
    assert curve.isVisible()
    assert "grow_px over time: 1 at frame 0, 9 at frame 8" in curve.toolTip()
    card.findChild(QToolButton, "remove_drawn").click()
    settle(qtbot, window)
    assert session.treatment.steps[0].over_time == ()
