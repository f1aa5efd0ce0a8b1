"""The sides of the picture: found, kept as numbers, dragged on the light table, cut off."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QToolButton
from pytestqt.qtbot import QtBot

from grevin.core.quality.damage.border import BorderDamage
from grevin.desktop.window import Window
from tests.conftest import moving_frames, write_video
from tests.desktop.conftest import WAIT_MS, settle
from tests.desktop.test_time import drag

SIZE = (320, 240)


@pytest.fixture
def bordered_window(qtbot: QtBot, new_window, tmp_path: Path) -> Window:
    clean, damage = moving_frames(7, *SIZE, speed=3.0), BorderDamage(1, 8, 10, 0, 4)
    path = write_video(tmp_path / "bordered.mkv", [damage.add(clean.frame(n))[0] for n in range(7)])
    window: Window = new_window(path)
    window.session.add_step("edges")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: window.session.chain.steps[0].is_studied(0), timeout=WAIT_MS)
    settle(qtbot, window)
    return window


def settings(window: Window) -> tuple[int, int, int, int]:
    model = window.session.treatment.steps[0].model()
    return model.left_px, model.right_px, model.top_lines, model.bottom_lines


def test_what_was_found_is_kept_by_key_and_undone(qtbot: QtBot, bordered_window: Window) -> None:
    window = bordered_window
    assert settings(window) == (-1, -1, -1, -1)
    QTest.keyClick(
        window.bench.table, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    settle(qtbot, window)
    assert settings(window) == (8, 10, 0, 4)
    assert "kept as numbers" in window.messages.text
    window.session.undo()
    assert settings(window) == (-1, -1, -1, -1)


def test_a_side_is_dragged_to_where_the_picture_begins(qtbot: QtBot, bordered_window: Window) -> None:
    window, session = bordered_window, bordered_window.session
    card = window.bench.path.card(1).findChild(QToolButton, "drag_sides")
    card.click()
    settle(qtbot, window)
    assert session.place.view_point == 0, "the sides lie over the picture before the step"
    drag(qtbot, window, (8, 100), (20, 100))
    left, *others = settings(window)
    assert left == pytest.approx(20, abs=1)
    assert others == [-1, -1, -1], "the other sides are still found"
    window.bench.table.grab()
    drag(qtbot, window, (160, 120), (100, 100))
    assert settings(window)[0] == left, "nothing lies in the middle"
    session.view_from(1)
    settle(qtbot, window)
    drag(qtbot, window, (left, 100), (4, 100))
    assert "before the step" in window.messages.text
    assert settings(window)[0] == left


def test_borders_are_cut_off_and_the_picture_becomes_smaller(qtbot: QtBot, bordered_window: Window) -> None:
    window, session = bordered_window, bordered_window.session
    session.change_settings(1, {"way": "crop", "left_px": 8, "right_px": 10, "top_lines": 0, "bottom_lines": 4})
    settle(qtbot, window)
    assert window.bench.table.size_of_picture() == (SIZE[0] - 18, SIZE[1] - 4)
    session.change_settings(1, {"way": "crop", "left_px": 200, "right_px": 200})
    settle(qtbot, window)
    assert "The borders leave 0 x 236" in window.messages.text


def test_where_nothing_was_found_there_is_nothing_to_keep(qtbot: QtBot, window: Window) -> None:
    window.session.add_step("edges")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: window.session.chain.steps[0].is_studied(0), timeout=WAIT_MS)
    window.do("keep_borders")
    assert "No border was found in this shot" in window.messages.text
