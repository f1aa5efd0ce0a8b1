"""Cards that show another part or another shape of the picture, worked with keys and mouse."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QLineEdit, QToolButton
from pytestqt.qtbot import QtBot

from grevin.core.treatment.over_time import OverTime
from grevin.desktop.window import Window
from tests.desktop.conftest import settle
from tests.desktop.test_time import drag


def typed(qtbot: QtBot, window: Window, text: str) -> None:
    """Type key frames into the card, as a person does."""
    line = next(one for one in window.findChildren(QLineEdit) if one.objectName() == "keys" and one.isVisible())
    line.setFocus()
    line.selectAll()
    QTest.keyClicks(line, text)
    QTest.keyClick(line, Qt.Key.Key_Return)
    settle(qtbot, window)


def test_a_move_is_typed_seen_and_undone(qtbot: QtBot, window: Window) -> None:
    session = window.session
    session.add_step("reframe")
    settle(qtbot, window)
    look = window.bench.table.look
    assert look is not None
    assert look.after is look.before, "the defaults change nothing"
    typed(qtbot, window, "0 0.5 0.5 1; 4 0.5 0.5 2")
    assert session.chain is not None
    assert session.treatment.steps[0].model().keys[1].zoom == 2
    session.go(4)
    settle(qtbot, window)
    assert window.bench.table.look.after is not window.bench.table.look.before
    session.undo()
    settle(qtbot, window)
    assert session.treatment.steps[0].model().keys == ()


def test_key_frames_that_are_not_understood_are_refused_and_nothing_is_lost(qtbot: QtBot, window: Window) -> None:
    session = window.session
    session.add_step("reframe")
    settle(qtbot, window)
    typed(qtbot, window, "2 0.4 0.6 1.5")
    typed(qtbot, window, "2 left")
    assert "keys = '2 left' is not allowed (a list of frame, x, y, zoom, turn)" in window.messages.text
    assert session.treatment.steps[0].model().keys[0].zoom == 1.5


def test_a_wider_frame_is_shown_as_wide_as_it_is(qtbot: QtBot, window: Window) -> None:
    session, table = window.session, window.bench.table
    before = table.size_of_picture()
    session.add_step("sidefill")
    settle(qtbot, window)
    look = table.look
    assert look is not None
    width, height = table.size_of_picture()
    assert height == before[1]
    assert abs(width / height - 16 / 9) < 0.02
    assert table.size_of_picture(before=True) == before
    for compare in ("side", "wipe", "difference", "taken"):
        window.bench.looking.change({"compare": compare})
        settle(qtbot, window)
        assert table.look is not None
        assert not table.missing
        table.grab()


def test_numbers_that_change_over_time_are_shown_and_taken_out(qtbot: QtBot, treated: Window) -> None:
    session = treated.session
    changing = OverTime.model_validate(
        {"setting": "grow_px", "keys": [{"frame": 0, "value": 1}, {"frame": 4, "value": 5}]}
    )
    session.change_over_time(1, (changing,))
    settle(qtbot, treated)
    words = [label for label in treated.findChildren(QLabel) if label.text() == "Grow: 2 key frames"]
    assert words[0].isVisible()
    assert session.chain is not None
    assert session.chain.steps[0].settings_at(4).grow_px == 5
    row = words[0].parentWidget()
    qtbot.mouseClick(row.findChildren(QToolButton)[0], Qt.MouseButton.LeftButton)
    settle(qtbot, treated)
    assert session.treatment.steps[0].over_time == ()
    session.undo()
    assert session.treatment.steps[0].over_time == (changing,)


def test_what_is_shown_is_dragged_on_the_light_table(qtbot: QtBot, window: Window) -> None:
    session, table = window.session, window.bench.table
    session.add_step("reframe")
    session.change_settings(1, {"keys": ({"frame": 0, "zoom": 2.0},)})
    session.go(4)
    settle(qtbot, window)
    wide, high = session.reel.format.width, session.reel.format.height
    card = window.bench.path.card(1).findChild(QToolButton, "drag_part")
    assert "Shift+K" in card.toolTip()
    card.click()
    settle(qtbot, window)
    assert card.isChecked()
    assert session.place.view_point == 0, "the part lies over the picture before the step"
    drag(qtbot, window, (wide / 2, high / 2), (wide / 2 - 10, high / 2 + 5))
    (_, key) = session.treatment.steps[0].model().keys
    assert (key.frame, key.zoom) == (4, 2.0)
    assert key.x == pytest.approx(0.5 - 10 / wide, abs=0.01)
    assert key.y == pytest.approx(0.5 + 5 / high, abs=0.01)
    corner = (wide * (key.x + 0.25), high * (key.y + 0.25))
    drag(qtbot, window, corner, (corner[0] - wide / 16, corner[1] - high / 16))
    assert session.treatment.steps[0].model().keys[1].zoom == pytest.approx(2.67, abs=0.1)
    QTest.keyClick(table, Qt.Key.Key_Delete)
    settle(qtbot, window)
    assert [one.frame for one in session.treatment.steps[0].model().keys] == [0]
    QTest.keyClick(table, Qt.Key.Key_Escape)
    assert table.tool is None
    assert not card.isChecked()
    session.view_from(1)
    window.do("drag_part")
    settle(qtbot, window)
    session.view_from(1)
    settle(qtbot, window)
    drag(qtbot, window, (wide / 2, high / 2), (wide / 2 - 10, high / 2))
    assert "before the step" in window.messages.text
    assert len(session.treatment.steps[0].model().keys) == 1
