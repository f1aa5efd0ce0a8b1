"""Steps that change time, in the window: studied in the background, shown over the reel's own frames, reviewed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.desktop.window import Window
from tests.conftest import moving_frames, write_video
from tests.desktop.conftest import WAIT_MS, settle

pytestmark = pytest.mark.gui


@pytest.fixture
def stutter(tmp_path: Path) -> Path:
    """Every fifth frame shown once more."""
    clean = moving_frames(60, 320, 240, speed=3.0)
    order = [n - n // 5 for n in range(1, 51)]
    return write_video(tmp_path / "stutter.mkv", [clean.frame(n) for n in order])


def test_repeats_are_studied_shown_and_written(qtbot: QtBot, new_window, stutter: Path, tmp_path: Path) -> None:
    window: Window = new_window(stutter)
    session, bench = window.session, window.bench
    session.add_step("repeats")
    settle(qtbot, window)
    assert session.chain.is_studied(1)
    assert "10 repeated frames were taken out" in bench.path.card(1)._facts.text()
    session.go(4)
    settle(qtbot, window)
    look = bench.table.look
    assert look.time.startswith("left out; shown instead: output frame 3 of 40, frame 3")
    np.testing.assert_array_equal(look.frame.planes[0], open_reel(stutter).frame(3).planes[0])
    assert "left out" in window.column._words(4)
    assert "left out" not in window.column._words(5)
    output = window.output
    output.path.setText(str(tmp_path / "o.mkv"))
    output.start()
    qtbot.waitUntil(lambda: not output.writing, timeout=WAIT_MS)
    assert output.result.text().startswith("Proved. 40 frames")
    assert "10 frames of the source were left out" in output.result.text()
    session.undo()
    settle(qtbot, window)
    assert bench.table.look.time == ""
    assert "left out" not in window.column._words(4)


def test_a_verdict_on_a_finding_holds_for_the_step(qtbot: QtBot, new_window, stutter: Path) -> None:
    window: Window = new_window(stutter)
    session, place = window.session, window.survey
    session.add_step("repeats")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: not window.taking_in.busy, timeout=WAIT_MS)
    qtbot.keyClick(bench_table(window), Qt.Key.Key_F3)
    qtbot.keyClick(place.table, Qt.Key.Key_J)
    qtbot.waitUntil(lambda: window.surveying.survey is not None, timeout=60_000)
    qtbot.waitUntil(lambda: not place.busy, timeout=WAIT_MS)
    place.findings.kind.setCurrentIndex(place.findings.kind.findData("repeat"))
    qtbot.waitUntil(lambda: not place.busy, timeout=WAIT_MS)
    assert place.findings.model.rowCount() == 10
    qtbot.keyClick(place.table, Qt.Key.Key_Period)
    first = place.findings.present().first
    qtbot.keyClick(place.table, Qt.Key.Key_L)
    settle(qtbot, window)
    assert first not in session.chain.timeline.left_out()
    assert len(session.chain.timeline) == 41


def test_what_a_step_doubts_is_reviewed_by_key(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = moving_frames(30, 320, 240, speed=3.0)
    order = [*range(12), *[11] * 14, *range(12, 30)]
    window: Window = new_window(write_video(tmp_path / "still.mkv", [clean.frame(n) for n in order]))
    session, place = window.session, window.survey
    session.add_step("repeats")
    settle(qtbot, window)
    assert len(session.chain.timeline) == len(order)
    qtbot.keyClick(window.bench.table, Qt.Key.Key_F3)
    qtbot.waitUntil(lambda: not place.busy and place.findings.model.rowCount() == 1, timeout=WAIT_MS)
    qtbot.keyClick(place.table, Qt.Key.Key_Period)
    assert (place.findings.present().first, place.findings.present().last) == (12, 25)
    qtbot.keyClick(place.table, Qt.Key.Key_Y)
    settle(qtbot, window)
    assert len(session.chain.timeline) == 30
    qtbot.keyClick(place.table, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(qtbot, window)
    assert len(session.chain.timeline) == len(order)
    session.remove_step(1)
    qtbot.waitUntil(lambda: not place.busy and place.findings.model.rowCount() == 0, timeout=WAIT_MS)


def bench_table(window: Window):
    return window.bench.table


def test_frames_are_typed_and_made_anew(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = moving_frames(16, 320, 240, speed=4.0)
    path = write_video(tmp_path / "clean.mkv", [clean.frame(n) for n in range(16)])
    window: Window = new_window(path)
    session, bench = window.session, window.bench
    session.add_step("rebuild")
    settle(qtbot, window)
    field = bench.path.card(1).findChild(QLineEdit, "frames")
    field.setFocus()
    qtbot.keyClicks(field, "5, 9-10")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert session.treatment.steps[0].settings["frames"] == (5, 9, 10)
    assert field.text() == "5, 9-10"
    session.go(5)
    settle(qtbot, window)
    assert bench.table.look.time == "made anew"
    assert not np.array_equal(bench.table.look.frame.planes[0], clean.frame(5).planes[0])
    assert "made anew" in window.column._words(9)
    field.setText("5, x")
    field.editingFinished.emit()
    assert "not allowed" in window.messages.text
    assert session.treatment.steps[0].settings["frames"] == (5, 9, 10)
    session.change_settings(1, {"frames": (99,)})
    settle(qtbot, window)
    assert "There is no frame 99" in window.messages.text
    assert bench.table.look is not None, "the picture before the step stays in sight"


def test_studying_is_stopped_and_begun_again(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = moving_frames(12, 640, 480)
    path = write_video(tmp_path / "long.mkv", [clean.frame(n % 12) for n in range(240)])
    window: Window = new_window(path)
    session, bench = window.session, window.bench
    session.add_step("fields")
    qtbot.waitUntil(lambda: bench.studying.busy, timeout=WAIT_MS)
    window.messages.cancel_asked.emit()
    settle(qtbot, window)
    assert not session.chain.is_studied(1)
    assert "Stopped" in window.messages.text
    assert bench.table.look.view_point == 0, "until then the picture before the step is shown"
    session.switch_step(1, enabled=False)
    settle(qtbot, window)
    assert session.chain.is_studied(1)
