"""Taking material in, in the real window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QPushButton, QSpinBox
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.desktop.window import Window
from tests.conftest import FORMATS, moving_frames, random_frame, write_video
from tests.core.test_frame_accuracy import numbered_file, read_number, write_picture
from tests.core.test_intake import interlaced
from tests.desktop.conftest import WAIT_MS, settle
from tests.desktop.test_window import press

pytestmark = pytest.mark.gui
Opener = Callable[[Path | None], Window]
CONTROL = Qt.KeyboardModifier.ControlModifier


def examined(qtbot: QtBot, window: Window) -> None:
    qtbot.waitUntil(lambda: window.session.examined is not None, timeout=WAIT_MS)


def drop(window: Window, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    window.dropEvent(
        QDropEvent(
            QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
    )


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    material = tmp_path / "material"
    (material / "scans").mkdir(parents=True)
    for number in range(4):
        write_picture(material / "scans" / f"pier_{number:04}.tif", "tif-8", number)
    numbered_file(material / "ferry.mkv", "ffv1", 6, {})
    (material / "notes.txt").write_text("words")
    (material / "broken.mov").write_bytes(b"nothing")
    return material


def test_a_folder_becomes_a_job_of_several_reels(qtbot: QtBot, new_window: Opener, folder: Path) -> None:
    window = new_window(folder)
    assert [reel.title for reel in window.session.document.reels] == ["ferry", "pier"]
    assert "1 file(s) are no material: notes.txt" in window.messages.text
    assert "broken.mov was passed over" in window.messages.text
    assert window.session.length == 6
    window.session.go(2)
    press(qtbot, window, Qt.Key.Key_PageDown, CONTROL)
    assert (window.session.reel_index, window.session.length) == (1, 4)
    press(qtbot, window, Qt.Key.Key_PageUp, CONTROL)
    assert window.session.place.frame == 2, "each reel remembers where one looked"


def test_reels_are_named_added_and_taken_out(qtbot: QtBot, new_window: Opener, folder: Path, dirty_reel: Path) -> None:
    window = new_window(folder)
    press(qtbot, window, Qt.Key.Key_F2)
    intake = window.intake
    assert intake.isVisible()
    drop(window, dirty_reel)
    settle(qtbot, window)
    assert [reel.title for reel in window.session.document.reels] == ["ferry", "pier", "dirty"]
    pattern = intake.reels.pattern
    pattern.setFocus()
    pattern.selectAll()
    qtbot.keyClicks(pattern, "PE-1967-{reel:03}")
    intake.reels.first.setValue(11)
    qtbot.mouseClick(intake.reels.name_all, Qt.MouseButton.LeftButton)
    assert [reel.title for reel in window.session.document.reels] == ["PE-1967-011", "PE-1967-012", "PE-1967-013"]
    pattern.setText("{tape}")
    qtbot.keyClick(pattern, Qt.Key.Key_Return)
    assert "there is no {tape}" in window.messages.text
    rows = intake.reels.rows
    rows.topLevelItem(1).setText(0, "The pier")
    assert window.session.document.reels[1].title == "The pier"
    rows.setCurrentItem(rows.topLevelItem(1))
    rows.setFocus()
    qtbot.keyClick(rows, Qt.Key.Key_F2)
    editor = rows.findChild(QLineEdit)
    editor.selectAll()
    qtbot.keyClicks(editor, "The long pier")
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.session.document.reels[1].title == "The long pier", timeout=WAIT_MS)
    intake.findChild(QPushButton, "take_out").click()
    assert [reel.title for reel in window.session.document.reels] == ["PE-1967-011", "PE-1967-013"]
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    assert len(window.session.document.reels) == 3
    rows.setCurrentItem(rows.topLevelItem(0))
    intake.findChild(QPushButton, "take_out").click()
    assert "The open reel cannot be taken out" in window.messages.text
    rows.setFocus()
    rows.setCurrentItem(rows.topLevelItem(2))
    qtbot.keyClick(rows, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.session.length == 12


def test_undoing_the_taking_in_of_the_open_reel(
    qtbot: QtBot, new_window: Opener, folder: Path, dirty_reel: Path
) -> None:
    window = new_window(folder / "ferry.mkv")
    drop(window, dirty_reel)
    settle(qtbot, window)
    window.opening.open_reel(1)
    settle(qtbot, window)
    assert window.session.length == 12
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    settle(qtbot, window)
    assert (window.session.reel_index, window.session.length) == (0, 6)


def test_found_measured_and_declared_stand_side_by_side(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    path = write_video(tmp_path / "tape.mkv", interlaced("top_first"), field_order=1)
    window = new_window(path)
    examined(qtbot, window)
    press(qtbot, window, Qt.Key.Key_F2)
    intake = window.intake
    assert "the picture shows combing: interlaced, top field first" in intake.doubts.text()
    box = intake.declaring.findChild(QComboBox, "declare_field_order")
    place = box.findText("top field first")
    box.setCurrentIndex(place)
    box.activated.emit(place)
    assert window.session.entry.declared.field_order == "top_first"
    assert "combing" not in intake.doubts.text()
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    assert "combing" in intake.doubts.text()
    assert box.currentText() == "as found"
    job = window.session.job_file.path
    window.close()
    again = new_window(job)
    assert again.session.examined is not None, "kept with the job"


def test_declaring_shape_rate_timecode_and_gauge(qtbot: QtBot, window: Window) -> None:
    press(qtbot, window, Qt.Key.Key_F2)
    form = window.intake.declaring
    aspect = form.findChild(QComboBox, "declare_pixel_aspect")
    aspect.lineEdit().setText("2:1")
    qtbot.keyClick(aspect.lineEdit(), Qt.Key.Key_Return)
    assert window.session.reel.format.pixel_aspect == 2
    settle(qtbot, window)
    assert window.bench.table.size_of_picture() == (320.0, 120.0)
    aspect.lineEdit().setText("wide")
    qtbot.keyClick(aspect.lineEdit(), Qt.Key.Key_Return)
    assert "is not a pixel aspect" in window.messages.text
    assert aspect.currentText() == "2:1", "the form goes back to what holds"
    timecode = form.findChild(QLineEdit, "declare_timecode")
    timecode.setText("10:00:00:00")
    timecode.editingFinished.emit()
    window.session.count_in("timecode")
    window.session.go(3)
    assert window.bench.time_bar.frame_field.text() == "10:00:00:03"
    gauge = form.findChild(QComboBox, "declare_gauge")
    gauge.activated.emit(gauge.findText("16 mm"))
    window.do("count")
    assert window.bench.time_bar.frame_field.text() == "0+03"
    speed = form.findChild(QComboBox, "declare_running_speed")
    speed.activated.emit(speed.findText("18"))
    assert any("at 18 frames/s" in label.text() for label in form._lines)
    assert window.session.entry.declared.running_speed == "18"


def test_setting_upright_and_trimming(qtbot: QtBot, window: Window, dirty_reel: Path) -> None:
    press(qtbot, window, Qt.Key.Key_F2)
    intake = window.intake
    source = open_reel(dirty_reel)
    qtbot.mouseClick(intake.findChild(QPushButton, "do_turn"), Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    look = window.bench.table.look
    np.testing.assert_array_equal(look.frame.planes[0], np.rot90(source.frame(0).planes[0], -1))
    assert "120x160" in window.parts.state.text()
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    form = intake.declaring
    form.findChild(QCheckBox, "declare_flip_sideways").setChecked(True)
    settle(qtbot, window)
    np.testing.assert_array_equal(window.bench.table.look.frame.planes[0], source.frame(0).planes[0][:, ::-1])
    window.session.go(2)
    intake.findChild(QPushButton, "do_head").click()
    form.findChild(QSpinBox, "declare_tail").setValue(3)
    assert window.session.kept == range(2, 9)
    window.do("to_end")
    assert window.session.place.frame == 8
    window.do("to_start")
    assert window.session.place.frame == 2
    assert window.column._marks.kept == range(2, 9)
    assert (window.output.first.value(), window.output.last.value()) == (2, 8)


def test_an_index_grows_while_one_looks(
    qtbot: QtBot, new_window: Opener, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    from grevin.core.media import frame_index

    monkeypatch.setattr(frame_index, "PIECE_S", 0.0)
    path = numbered_file(tmp_path / "a.mpg", "mpeg2video", 300, {"g": "12", "bf": "2"})
    window = new_window(path)
    qtbot.waitUntil(lambda: window.session.length == 300, timeout=WAIT_MS)
    window.session.go(290)
    settle(qtbot, window)
    assert read_number(window.bench.table.look.frame) == 290
    assert window.output.last.value() == 299
    job = window.session.job_file.path
    window.close()
    monkeypatch.setattr(frame_index, "growing_index", lambda _: pytest.fail("the index is kept beside the job"))
    again = new_window(job)
    assert again.session.length == 300


def test_damaged_frames_are_placeholders_and_findings(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    for number in (1, 2, 4, 5):
        write_picture(tmp_path / f"p{number:03}.png", "png-8", number)
    window = new_window(tmp_path / "p%03d.png")
    window.session.go(2)
    settle(qtbot, window)
    assert "p003.png is missing" in window.bench.table.missing
    window.bench.table.grab()
    qtbot.waitUntil(lambda: 2 in window.bench.strip._missing, timeout=WAIT_MS)
    window.bench.strip.grab()
    assert window.column._marks.unreadable == (2,)
    assert "cannot be read" in window.column._words(2)
    window.column.grab()
    press(qtbot, window, Qt.Key.Key_F2)
    assert "p003.png is missing" in window.intake.doubts.text()
    window.bench.player.toggle()
    qtbot.wait(300)
    window.bench.player.stop()
    settle(qtbot, window)
    job = window.session.job_file.path
    window.close()
    again = new_window(job)
    assert list(again.session.unreadable) == [2]


def test_a_file_replaced_on_disk_is_said_and_opened_again(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    path = numbered_file(tmp_path / "a.mkv", "ffv1", 100, {}, size=(720, 576))
    window = new_window(path)
    qtbot.waitUntil(lambda: not window.taking_in.busy, timeout=WAIT_MS)
    numbered_file(tmp_path / "b.mkv", "ffv1", 30, {}).replace(path)
    window.session.go(90)
    settle(qtbot, window)
    assert "changed or replaced since it was opened" in window.messages.text
    press(qtbot, window, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    assert window.session.length == 30
    assert read_number(window.bench.table.look.frame) == 29


def test_the_start_view_lists_recent_jobs(qtbot: QtBot, new_window: Opener, dirty_reel: Path, tmp_path: Path) -> None:
    other = write_video(tmp_path / "other.mkv", [random_frame(FORMATS[0], n) for n in range(4)])
    window = new_window(dirty_reel)
    window.open(other)
    settle(qtbot, window)
    window.do("start_page")
    assert window.start_view.isVisible()
    assert window.session.reel is None
    jobs = window.start_view.jobs
    assert [jobs.item(row).text().split("-")[0] for row in range(jobs.count())] == ["other", "dirty"]
    jobs.setCurrentRow(1)
    jobs.setFocus()
    qtbot.keyClick(jobs, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.session.length == 12
    window.session.job_file.path.rename(tmp_path / "gone.grevin")
    window.do("start_page")
    assert window.start_view.jobs.count() == 1, "what is gone is not offered"


def test_material_whose_disk_is_gone(qtbot: QtBot, new_window: Opener, dirty_reel: Path) -> None:
    window = new_window(dirty_reel)
    job = window.session.job_file.path
    window.close()
    dirty_reel.unlink()
    again = new_window(None)
    again.open(job)
    settle(qtbot, again)
    assert "There is no file or folder" in again.messages.text
    assert again.start_view.isVisible()
    assert again.start_view.words.text() == ""


def test_cancelling_the_opening_of_a_folder(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    source = moving_frames(4)
    for number in range(30):
        write_video(tmp_path / f"{number}.mkv", [source.frame(n) for n in range(4)])
    window = new_window(None)
    window.opening.open([tmp_path])
    window.messages.works["opening"].stop.click()
    settle(qtbot, window)
    assert window.session.reel is None
