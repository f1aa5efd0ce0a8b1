"""The real window, driven with keys and mouse as a person would."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QComboBox, QMessageBox, QSpinBox, QToolButton
from pytestqt.qtbot import QtBot

from grevin.core.errors import OutputError
from grevin.core.job.job_file import JobFile
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.render.verify import verify
from grevin.desktop.own_keys import shipped_clashes
from grevin.desktop.steps.desks import every_key
from grevin.desktop.window import Window
from tests.conftest import FORMATS, random_frame, write_video
from tests.desktop.conftest import WAIT_MS, settle

pytestmark = pytest.mark.gui
Opener = Callable[[Path | None], Window]


def press(qtbot: QtBot, window: Window, key: Qt.Key, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    qtbot.keyClick(window.bench.table, key, modifiers)
    settle(qtbot, window)


def seen(window: Window) -> np.ndarray:
    """What the light table shows, as pixels."""
    image = window.bench.table.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    return np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)[..., :3].copy()


def add_dirt_step(qtbot: QtBot, window: Window) -> None:
    window.bench.path.add_button.click()
    chooser = window.bench.path.chooser
    QTest.keyClicks(chooser.field, "dust")
    QTest.keyClick(chooser.field, Qt.Key.Key_Return)
    settle(qtbot, window)


def test_step_find_change_hold_wipe_undo(qtbot: QtBot, window: Window) -> None:
    session, table = window.session, window.bench.table
    press(qtbot, window, Qt.Key.Key_F)
    press(qtbot, window, Qt.Key.Key_F)
    press(qtbot, window, Qt.Key.Key_Right)
    press(qtbot, window, Qt.Key.Key_D)
    assert session.place.frame == 2
    assert table.look is not None
    assert table.look.number == 2
    source = seen(window)

    add_dirt_step(qtbot, window)
    assert session.place.view_point == session.selected == 1
    assert table.look.evidence is not None
    assert len(table.look.evidence.blobs) > 0
    treated = seen(window)
    assert not np.array_equal(source, treated)

    press(qtbot, window, Qt.Key.Key_V)
    evidence = seen(window)
    violet = (evidence[..., 0] > 200) & (evidence[..., 1] < 140) & (evidence[..., 2] > 150)
    assert violet.any()
    press(qtbot, window, Qt.Key.Key_V)
    np.testing.assert_array_equal(seen(window), treated)

    qtbot.keyPress(table, Qt.Key.Key_X)
    held = seen(window)
    qtbot.keyRelease(table, Qt.Key.Key_X)
    assert not np.array_equal(held[100:], treated[100:])
    np.testing.assert_array_equal(held[100:], source[100:])
    np.testing.assert_array_equal(seen(window), treated)

    press(qtbot, window, Qt.Key.Key_C)
    wiped = seen(window)
    middle = table.width() // 2
    np.testing.assert_array_equal(wiped[100:, : middle - 8], source[100:, : middle - 8])
    np.testing.assert_array_equal(wiped[100:, middle + 8 :], treated[100:, middle + 8 :])
    grip = QPoint(middle, 300)
    qtbot.mousePress(table, Qt.MouseButton.LeftButton, pos=grip)
    qtbot.mouseMove(table, QPoint(middle - 200, 300))
    qtbot.mouseRelease(table, Qt.MouseButton.LeftButton, pos=QPoint(middle - 200, 300))
    np.testing.assert_array_equal(seen(window)[100:, middle - 190 :], treated[100:, middle - 190 :])
    press(qtbot, window, Qt.Key.Key_C)

    size = window.bench.path.card(1).findChild(QSpinBox, "largest_px")
    size.setValue(4)
    settle(qtbot, window)
    assert session.treatment.steps[0].settings["largest_px"] == 4
    np.testing.assert_array_equal(seen(window), source)
    press(qtbot, window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.treatment.steps[0].settings["largest_px"] == 4000
    assert window.bench.path.card(1).findChild(QSpinBox, "largest_px").value() == 4000
    np.testing.assert_array_equal(seen(window), treated)
    press(qtbot, window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.treatment.steps == ()
    press(qtbot, window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert session.treatment.steps[0].settings["largest_px"] == 4000


def test_write_and_see_the_proof(qtbot: QtBot, window: Window, dirty_reel: Path, tmp_path: Path) -> None:
    add_dirt_step(qtbot, window)
    press(qtbot, window, Qt.Key.Key_V)  # evidence and wipe are on while writing: they must not get into the output
    press(qtbot, window, Qt.Key.Key_C)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output = window.output
    assert output.isVisible()
    assert output.path.text() == str(tmp_path / "dirty-treated.mkv")
    output.evidence.setChecked(True)
    output.ledger.setChecked(True)
    qtbot.mouseClick(output.write, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert output.result.text().startswith("Proved. 12 frames written and read back")
    assert "is written and proved" in window.messages.text
    written = open_reel(tmp_path / "dirty-treated.mkv")
    result = verify(open_reel(dirty_reel), written, range(12), tmp_path / "dirty-treated-evidence", Progress())
    assert result.passed
    assert (tmp_path / "dirty-treated-ledger.csv").read_text().startswith("frame,place,step")
    assert window.session.job_file is not None
    assert len(window.session.job_file.runs()) == 1

    qtbot.mouseClick(output.write, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert "exists already" in window.messages.text
    assert output.result.text() == "Not written."
    output.overwrite.setChecked(True)
    qtbot.mouseClick(output.write, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert output.result.text().startswith("Proved.")


def test_cancelling_a_run_leaves_nothing(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    source = write_video(tmp_path / "long.mkv", [random_frame(FORMATS[1], n % 5) for n in range(400)])
    window = new_window(source)
    window.output.path.setText(str(tmp_path / "o.mkv"))
    window.output.start()
    qtbot.waitUntil(lambda: window.output.bar.value() > 0, timeout=WAIT_MS)
    window.output.cancel.click()
    settle(qtbot, window)
    assert window.output.result.text() == "Cancelled; nothing was left behind."
    assert not list(tmp_path.glob("*o.*"))


def test_reopening_is_where_one_left(qtbot: QtBot, new_window: Opener, window: Window) -> None:
    add_dirt_step(qtbot, window)
    window.bench.path.card(1).findChild(QSpinBox, "grow_px").setValue(4)
    window.bench.path.card(1).findChild(QComboBox, "polarity").setCurrentText("darker")
    settle(qtbot, window)
    window.session.go(7)
    settle(qtbot, window)
    job = window.session.job_file
    assert job is not None
    path = job.path
    window.close()
    again = new_window(path)
    assert again.session.place.frame == 7
    assert again.session.place.view_point == 1
    settings = again.session.treatment.steps[0].settings
    assert (settings["grow_px"], settings["polarity"]) == (4, "darker")
    press(qtbot, again, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert again.session.treatment.steps[0].settings["polarity"] == "both"


def test_zoom_pan_and_strip_share_one_view(qtbot: QtBot, window: Window) -> None:
    table, strip = window.bench.table, window.bench.strip
    press(qtbot, window, Qt.Key.Key_4)
    assert table.scale() == 4.0
    look = table.look
    assert look is not None
    shown = seen(window)
    y, x = table.height() // 2, table.width() // 2
    block = shown[y - 40 : y + 40, x - 40 : x + 40]
    assert len(np.unique(block.reshape(-1, 3), axis=0)) <= 23 * 23, "exact pixels: each is four screen pixels wide"
    before = table.view
    qtbot.mousePress(table, Qt.MouseButton.LeftButton, pos=QPoint(400, 300))
    qtbot.mouseMove(table, QPoint(440, 300))
    qtbot.mouseRelease(table, Qt.MouseButton.LeftButton, pos=QPoint(440, 300))
    assert table.view.x < before.x
    assert strip._view == table.view
    press(qtbot, window, Qt.Key.Key_Z)
    assert table.view.zoom == 0
    zoom = window.bench.looking_bar.findChild(QComboBox, "zoom")
    zoom.setFocus()
    zoom.setCurrentIndex(3)
    zoom.activated.emit(3)
    assert table.scale() == 1.0
    press(qtbot, window, Qt.Key.Key_Plus)
    assert table.scale() == 2.0


def test_strip_column_and_frame_box_go_to_frames(qtbot: QtBot, window: Window) -> None:
    window.session.go(5)
    settle(qtbot, window)
    strip, column = window.bench.strip, window.column
    assert all(strip.shown(frame) for frame in range(2, 9))
    place = strip._cell(5).center().toPoint()
    qtbot.mouseClick(strip, Qt.MouseButton.LeftButton, pos=place)
    assert window.session.place.frame == 7
    settle(qtbot, window)
    qtbot.mouseClick(column, Qt.MouseButton.LeftButton, pos=QPoint(60, column.height() - 6))
    assert window.session.place.frame == 11
    field = window.bench.time_bar.frame_field
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "4")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert window.session.place.frame == 4
    settle(qtbot, window)
    press(qtbot, window, Qt.Key.Key_End)
    press(qtbot, window, Qt.Key.Key_F)
    assert window.session.place.frame == 11
    press(qtbot, window, Qt.Key.Key_Home)
    assert window.session.place.frame == 0
    qtbot.waitUntil(lambda: window.taking_in.lanes is not None and window.taking_in.lanes.complete, timeout=WAIT_MS)


def test_playing_goes_round_and_tells(qtbot: QtBot, window: Window) -> None:
    qtbot.keyClick(window.bench.table, Qt.Key.Key_Space)
    assert window.bench.player.playing
    frames: set[int] = set()
    window.session.place_changed.connect(lambda place: frames.add(place.frame))
    qtbot.waitUntil(lambda: len(frames) >= 10, timeout=WAIT_MS)
    qtbot.waitUntil(lambda: "frames/s" in window.messages.text, timeout=WAIT_MS)
    qtbot.keyClick(window.bench.table, Qt.Key.Key_Space)
    settle(qtbot, window)
    assert not window.bench.player.playing


def test_view_point_and_resting_step(qtbot: QtBot, window: Window) -> None:
    add_dirt_step(qtbot, window)
    treated = seen(window)
    press(qtbot, window, Qt.Key.Key_W)
    assert window.session.place.view_point == 0
    source = seen(window)
    assert not np.array_equal(source, treated)
    press(qtbot, window, Qt.Key.Key_R)
    np.testing.assert_array_equal(seen(window), treated)
    window.bench.path.card(1).findChild(QCheckBox, "acts").setChecked(False)
    settle(qtbot, window)
    np.testing.assert_array_equal(seen(window), source)
    assert "not treated" in window.parts.state.text()
    window.bench.path.card(1).findChild(QToolButton, "remove").click()
    settle(qtbot, window)
    assert window.session.treatment.steps == ()


def test_wrong_material_is_a_sentence_and_the_reel_stays(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    (tmp_path / "empty.mkv").touch()
    (tmp_path / "text.mkv").write_text("words")
    for path, words in (
        (tmp_path / "empty.mkv", "is empty"), (tmp_path / "text.mkv", "cannot be read|can be read"),
        (tmp_path / "none.mkv", "There is no file"), (tmp_path / "none.grevin", "There is no job file"),
    ):  # fmt: skip
        window.open(path)
        settle(qtbot, window)
        assert any(part in window.messages.text for part in words.split("|")), window.messages.text
        assert window.session.length == 12
        assert window.bench.table.look is not None


def test_an_unreadable_frame_is_said_and_others_still_show(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    import cv2

    for number in (1, 2, 4):
        cv2.imwrite(str(tmp_path / f"p{number:03}.png"), np.full((40, 60, 3), 40 * number, np.uint8))
    window = new_window(tmp_path / "p%03d.png")
    assert "1 picture(s) are missing" in window.messages.text
    window.session.go(2)
    settle(qtbot, window)
    assert "p003.png is missing" in window.messages.text
    assert "p003.png is missing" in window.bench.table.missing
    assert list(window.session.unreadable) == [2]
    window.session.go(3)
    settle(qtbot, window)
    assert window.bench.table.look is not None
    assert window.bench.table.look.number == 3


def test_pixel_shape_is_shown_true(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    from dataclasses import replace
    from fractions import Fraction

    from grevin.core.media.video_writer import Start, VideoWriter

    fmt = replace(FORMATS[0], pixel_aspect=Fraction(2))
    writer = VideoWriter(tmp_path / "wide.mkv", None, fmt, range(3), False, Start())
    for number in range(3):
        writer.write(random_frame(fmt, number))
    writer.finish()
    writer.commit()
    window = new_window(tmp_path / "wide.mkv")
    assert window.bench.table.size_of_picture() == (96.0, 32.0)


def test_the_start_view_and_the_page_of_keys(qtbot: QtBot, new_window: Opener) -> None:
    window = new_window(None)
    assert window.start_view.isVisible()
    for key in (Qt.Key.Key_F, Qt.Key.Key_Space, Qt.Key.Key_V, Qt.Key.Key_X, Qt.Key.Key_End, Qt.Key.Key_R):
        qtbot.keyClick(window.bench.table, key)
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    window.do("shot_forward")
    window.do("save_job_as")
    assert "There is no job yet" in window.messages.text
    window.output.start()
    qtbot.keyClick(window.bench.table, Qt.Key.Key_F1)
    assert window._keys_page is not None
    shown = {item.text(0): item.text(1) for item in window._keys_page._items()}
    assert all(shown[key.label] == ", ".join(key.keys) for key in every_key())
    assert shipped_clashes() == [], "no key means two things at once"
    window._keys_page.close()


def test_a_copy_of_the_job(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    add_dirt_step(qtbot, window)
    window.save_copy(tmp_path / "mine.grevin")
    settle(qtbot, window)
    assert window.session.job_file is not None
    assert window.session.job_file.path == tmp_path / "mine.grevin"
    assert window.session.treatment.steps[0].step == "dirt"
    window.save_copy(tmp_path / "mine.grevin")
    assert "exists already" in window.messages.text


def test_return_leaves_a_number_field(qtbot: QtBot, window: Window) -> None:
    add_dirt_step(qtbot, window)
    grow = window.bench.path.card(1).findChild(QSpinBox, "grow_px")
    grow.setFocus()
    grow.selectAll()
    qtbot.keyClicks(grow, "3")
    qtbot.keyClick(grow, Qt.Key.Key_Return)
    qtbot.waitUntil(window.bench.table.hasFocus, timeout=WAIT_MS)
    settle(qtbot, window)
    assert window.session.treatment.steps[0].settings["grow_px"] == 3
    press(qtbot, window, Qt.Key.Key_F)
    assert window.session.place.frame == 1


def closing_box(window: Window) -> QMessageBox:
    return window.findChild(QMessageBox, "closing")


def test_closing_while_something_is_written_asks_first(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    add_dirt_step(qtbot, window)
    out = tmp_path / "out.mkv"
    window.output.path.setText(str(out))
    window.output.start()
    assert window.output.writing
    window.close()
    assert window.isVisible()
    stay = next(button for button in closing_box(window).buttons() if button.text() == "Stay")
    stay.click()
    assert window.isVisible()
    assert window.output.writing
    window.close()
    later = next(button for button in closing_box(window).buttons() if button.text() == "Close when it is written")
    later.click()
    assert not window.isVisible()
    qtbot.waitUntil(lambda: not window.output.writing and window.threads_alive() == [], timeout=WAIT_MS)
    assert out.exists()


def test_closing_may_stop_what_is_written_and_leaves_nothing(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    add_dirt_step(qtbot, window)
    out = tmp_path / "out.mkv"
    window.output.path.setText(str(out))
    window.output.start()
    window.close()
    stop = next(button for button in closing_box(window).buttons() if button.text() == "Stop it and close")
    stop.click()
    qtbot.waitUntil(lambda: window.threads_alive() == [], timeout=WAIT_MS)
    assert not window.isVisible()
    assert list(tmp_path.glob("*out*")) == []


def test_what_fails_out_of_sight_brings_the_window_back_and_a_signal_asks_nothing(
    qtbot: QtBot, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    def fails(*_given: object) -> None:
        raise OutputError("The disk is gone.", "Choose another.")

    real = JobFile.record_run
    monkeypatch.setattr(JobFile, "record_run", fails)
    add_dirt_step(qtbot, window)
    window.output.path.setText(str(tmp_path / "out.mkv"))
    window.output.start()
    window.close()
    next(button for button in closing_box(window).buttons() if button.text() == "Close when it is written").click()
    qtbot.waitUntil(window.isVisible, timeout=WAIT_MS)
    assert "The disk is gone." in window.messages.text
    monkeypatch.setattr(JobFile, "record_run", real)
    window.output.path.setText(str(tmp_path / "second.mkv"))
    window.output.start()
    assert window.output.writing
    window.close_now()
    assert not window.isVisible()
    assert window.threads_alive() == []
