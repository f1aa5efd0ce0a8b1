"""Output: versions, a picture of what will be written, the queue and what can be done about it."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QInputDialog, QPushButton
from pytestqt.qtbot import QtBot

from grevin.core.job.handing_over import hand_over, verify_folder
from grevin.core.media.opening import open_reel
from grevin.core.picture.format import PictureFormat
from grevin.core.progress import Progress
from grevin.core.render.versions import user_versions
from grevin.desktop.dialogs import files
from grevin.desktop.window import Window
from tests.conftest import FORMATS, random_frame, write_video
from tests.core.test_full_disk import room_for_files_of
from tests.desktop.conftest import WAIT_MS, settle

Opener = Callable[[Path | None], Window]
LEFT = Qt.MouseButton.LeftButton


def choose(window: Window, version: str) -> None:
    box = window.output.version
    box.setCurrentIndex(next(place for place in range(box.count()) if box.itemData(place).id == version))


def written(qtbot: QtBot, window: Window) -> None:
    qtbot.waitUntil(lambda: not window.output.writing, timeout=WAIT_MS)


def states(window: Window) -> list[str]:
    return [one.state for one in window.output._queue.orders()]


def test_a_version_asks_for_what_concerns_it_alone(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output = window.output
    assert [output.path.text(), output.bits.isVisible(), output.quality.isVisible()] == [
        str(tmp_path / "dirty-treated.mkv"), True, False,
    ]  # fmt: skip
    choose(window, "h264")
    assert [output.path.text(), output.bits.isVisible(), output.quality.isVisible()] == [
        str(tmp_path / "dirty-treated.mp4"), False, True,
    ]  # fmt: skip
    choose(window, "prores-422-hq")
    assert output.path.text().endswith("dirty-treated-prores-422-hq.mov")
    assert not output.quality.isVisible()
    choose(window, "png")
    assert output.path.text() == str(tmp_path / "dirty-treated" / "dirty.%06d.png")
    assert not output.sound.isVisible()


def test_a_version_of_ones_own_is_kept_taken_and_forgotten(
    qtbot: QtBot, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert not form.forget_it.isVisible()
    choose(window, "h264")
    output.quality.setCurrentIndex(output.quality.findData("small"))
    output.ledger.setChecked(True)
    output.path.setText(str(tmp_path / "dirty for Maud.mp4"))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args, **_more: ("For Maud", True))
    qtbot.mouseClick(form.keep_it, LEFT)
    assert output.version.currentText() == "For Maud"
    choose(window, "ffv1")
    output.ledger.setChecked(False)
    choose(window, "For Maud")
    assert output.path.text() == str(tmp_path / "dirty for Maud.mp4")
    assert (output.quality.currentData(), output.ledger.isChecked()) == ("small", True)
    assert form.forget_it.isVisible()
    qtbot.mouseClick(form.forget_it, LEFT)
    assert output.version.findText("For Maud") < 0
    assert not form.forget_it.isVisible()


def test_an_access_copy_is_written_and_its_loss_told(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    window.session.add_step("dirt")
    settle(qtbot, window)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    choose(window, "h264")
    window.output.quality.setCurrentIndex(2)
    qtbot.mouseClick(window.output.write, LEFT)
    written(qtbot, window)
    assert "H.264 costs some of every picture" in window.output.result.text()
    assert len(open_reel(tmp_path / "dirty-treated.mp4")) == 12
    assert states(window) == ["done"]
    (order,) = window.output._queue.orders()
    assert order.order.quality == "small"


def test_what_will_be_written_is_seen_in_its_own_shape(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    fmt = PictureFormat(96, 64, "yuv", 8, chroma="4:2:0")
    window = new_window(write_video(tmp_path / "wide.mkv", [random_frame(fmt, n) for n in range(4)]))
    window.session.declare(pixel_aspect="2:1")
    settle(qtbot, window)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    qtbot.waitUntil(lambda: window.output.picture.shown_size[0] > 0, timeout=WAIT_MS)
    wide, high = window.output.picture.shown_size
    assert wide / high == pytest.approx(3.0, rel=0.01)
    assert "96x64 4:2:0 8 bit, shown 192 x 64" in window.output._caption.text()


def test_the_expected_size_and_the_room_are_said(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    room = window.output._form.room
    qtbot.waitUntil(lambda: room.text().startswith("about") and "free there" in room.text(), timeout=WAIT_MS)
    large = room.text()
    choose(window, "h264")
    qtbot.waitUntil(lambda: room.text() != large, timeout=WAIT_MS)
    window.output.path.setText(str(tmp_path / "dirty.mkv" / "a.mp4"))
    qtbot.waitUntil(lambda: "is a file" in room.text(), timeout=WAIT_MS)


def test_orders_wait_for_each_other_are_held_and_go_on(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    source = write_video(tmp_path / "long.mkv", [random_frame(FORMATS[1], n % 5) for n in range(100)])
    window = new_window(source)
    window.session.add_step("dirt")
    settle(qtbot, window)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, queue = window.output, window.output.queue
    for name in ("a.mkv", "b.mkv", "c.mkv"):
        output.path.setText(str(tmp_path / name))
        qtbot.mouseClick(output.write, LEFT)
        output.last.setValue(9)
    assert output.write.text() == "Put in the queue"
    assert states(window) == ["running", "waiting", "waiting"]
    queue.table.selectRow(2)
    qtbot.mouseClick(queue.findChild(QPushButton, "queue_first"), LEFT)
    assert [Path(one.order.output).name for one in output._queue.orders()] == ["c.mkv", "a.mkv", "b.mkv"]
    qtbot.waitUntil(lambda: output.bar.value() > 8, timeout=WAIT_MS)
    queue.table.selectRow(1)
    qtbot.mouseClick(queue.hold, LEFT)
    qtbot.waitUntil(lambda: states(window) == ["done", "held", "done"], timeout=WAIT_MS)
    written(qtbot, window)
    assert not (tmp_path / "a.mkv").exists()
    assert len(open_reel(tmp_path / "c.mkv")) == 10
    queue.show_orders()
    queue.table.selectRow(1)
    qtbot.mouseClick(queue.again, LEFT)
    qtbot.mouseClick(queue.go_on, LEFT)
    written(qtbot, window)
    assert "frames were ready from before" in output.result.text()
    assert len(open_reel(tmp_path / "a.mkv")) == 100
    queue.show_orders()
    for _ in range(3):
        queue.table.selectRow(0)
        qtbot.mouseClick(queue.remove, LEFT)
    assert states(window) == []
    assert queue.table.rowCount() == 0


def test_an_order_outlives_its_window(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    source = write_video(tmp_path / "long.mkv", [random_frame(FORMATS[1], n % 5) for n in range(100)])
    window = new_window(source)
    window.session.add_step("dirt")
    settle(qtbot, window)
    job = window.session.job_file.path
    window.output.path.setText(str(tmp_path / "a.mkv"))
    window.output.start()
    qtbot.waitUntil(lambda: window.output.bar.value() > 4, timeout=WAIT_MS)
    window.close_now()
    assert not list(tmp_path.glob("*a.*mkv"))
    again = new_window(job)
    assert "1 order waits in the queue" in again.output.result.text()
    qtbot.keyClick(again, Qt.Key.Key_F5)
    qtbot.mouseClick(again.output.queue.go_on, LEFT)
    written(qtbot, again)
    assert len(open_reel(tmp_path / "a.mkv")) == 100


def test_kept_frames_are_told_and_forgotten(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    window.session.add_step("dirt")
    settle(qtbot, window)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    qtbot.mouseClick(window.output.write, LEFT)
    written(qtbot, window)
    kept = window.output._kept_words
    qtbot.waitUntil(lambda: "MB of" in kept.text() and not kept.text().startswith("0.0"), timeout=WAIT_MS)
    qtbot.mouseClick(window.findChild(QPushButton, "output_forget"), LEFT)
    qtbot.waitUntil(lambda: window.output._kept_words.text().startswith("0.0 MB"), timeout=WAIT_MS)


def test_all_that_was_written_is_handed_over(
    qtbot: QtBot, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    assert not window.output.proofs.hand_over.isEnabled(), "nothing was written yet"
    qtbot.keyClick(window, Qt.Key.Key_F5)
    qtbot.mouseClick(window.output.write, LEFT)
    written(qtbot, window)
    window.output._tabs.setCurrentIndex(1)
    monkeypatch.setattr(files, "ask_save", lambda *_args, **_more: tmp_path / "handed")
    qtbot.mouseClick(window.output.proofs.hand_over, LEFT)
    qtbot.waitUntil(lambda: not window.output.proofs.busy, timeout=WAIT_MS)
    assert "1 output with its proof lies in" in window.messages.text
    assert verify_folder(tmp_path / "handed", Progress()).passed
    qtbot.mouseClick(window.output.proofs.hand_over, LEFT)
    qtbot.waitUntil(lambda: not window.output.proofs.busy, timeout=WAIT_MS)
    assert "is there already" in window.messages.text
    window.output.proofs.begin(tmp_path / "again")
    window.output.proofs.cancel.click()
    assert "Cancelled; nothing was left behind" in window.messages.text
    assert not list(tmp_path.glob("*again*"))
    assert window.output.proofs.hand_over.isEnabled()


def test_an_act_that_the_jobs_disk_has_no_room_for_is_said(qtbot: QtBot, window: Window) -> None:
    with room_for_files_of(1):
        window.session.add_step("dirt")
    assert "cannot be changed" in window.messages.text
    assert window.session.treatment.steps == ()
    window.session.add_step("dirt")
    settle(qtbot, window)
    assert len(window.session.treatment.steps) == 1


def test_the_sound_alone(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> None:
    window = new_window(write_video(tmp_path / "talk.mkv", [random_frame(FORMATS[1], n) for n in range(6)], sound=True))
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    choose(window, "wav")
    assert output.path.text() == str(tmp_path / "talk-sound.wav")
    shown = [box.isVisible() for box in (output.sound, output.quality, output.bits, output.evidence, output.ledger)]
    assert shown == [True, False, False, False, False]
    assert "no picture" in output.picture._words
    qtbot.waitUntil(lambda: form.room.text().startswith("about 0.1 MB"), timeout=WAIT_MS)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    assert output.result.text().startswith("Proved. 1 track of sound written and read back"), output.result.text()
    assert window.session.job_file.runs()[-1][1]["sound"][0]["rate"] == 48000
    handed = hand_over(window.session.job_file.path, tmp_path / "handed", Progress())
    assert handed.outputs == ["talk-sound.wav"]
    assert verify_folder(tmp_path / "handed", Progress()).passed
    choose(window, "ffv1")
    qtbot.waitUntil(lambda: output.picture.shown_size[0] > 0, timeout=WAIT_MS)


def test_a_larger_version_of_the_same_treatment(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    high = window.session.chain.size_format.height
    form._show("enlarge", 2 * high)
    form.enlarge.setCurrentIndex(form.enlarge.findData(2 * high))
    qtbot.waitUntil(lambda: f"x{2 * high} " in output._caption.text(), timeout=WAIT_MS)
    assert "enlarge" in output._treated.text()
    form.keep("Large", "dirty")
    choose(window, "ffv1")
    form.enlarge.setCurrentIndex(0)
    qtbot.waitUntil(lambda: f"x{high} " in output._caption.text(), timeout=WAIT_MS)
    choose(window, "Large")
    assert form.wishes.enlarged_lines == 2 * high
    output.last.setValue(1)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    assert open_reel(Path(output.path.text())).format.height == 2 * high
    assert window.session.treatment.steps == (), "the job's own treatment stays as it is"
    choose(window, "wav")
    assert not form.enlarge.isVisible(), "sound has no lines"


def test_the_shape_of_an_access_copy(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    window.session.declare(pixel_aspect="16:15")
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert not form.lines.isVisible(), "a master keeps its shape"
    assert not form.colours.isVisible(), "and its colours"
    choose(window, "h264")
    form.square.click()
    qtbot.keyClicks(form.colours, "of")
    wide, high = window.session.chain.size_format.width, window.session.chain.size_format.height
    square = 2 * round(wide * 16 / 15 / 2)
    qtbot.waitUntil(lambda: f"{square} x {high}" in output._caption.text(), timeout=WAIT_MS)
    form.keep("For the web", "dirty")
    assert (user_versions().all()[0].square_pixels, user_versions().all()[0].most_lines) == (True, None)
    choose(window, "h264")
    form.square.click()
    choose(window, "For the web")
    assert form.square.isChecked()
    assert form.colours.currentData() == "bt709"
    output.last.setValue(3)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    made = open_reel(Path(output.path.text()))
    assert (made.format.width, made.format.height, made.format.pixel_aspect) == (square, high, 1)
    assert made.format.matrix == "bt709"


def test_the_shot_in_sight_is_written(qtbot: QtBot, window: Window) -> None:
    length = window.session.length
    window.session.parts.split(4)
    window.session.parts.split(9)
    window.session.declare(head=2)
    window.session.go(3)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert (output.first.value(), output.last.value()) == (2, length - 1)
    qtbot.mouseClick(form.shot, LEFT)
    assert (output.first.value(), output.last.value()) == (2, 3), "not beyond the trims"
    window.session.go(5)
    qtbot.mouseClick(form.shot, LEFT)
    assert (output.first.value(), output.last.value()) == (4, 8)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    assert len(open_reel(Path(output.path.text()))) == 5
    qtbot.mouseClick(form.all, LEFT)
    assert (output.first.value(), output.last.value()) == (2, length - 1)


def test_how_an_access_copy_plays(qtbot: QtBot, window: Window) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert not form.rate.isVisible(), "a master plays as the material does"
    assert not form.before.isVisible()
    choose(window, "h264")
    form.rate.setFocus()
    qtbot.keyClicks(form.rate, "50")
    for number, seconds in ((form.before, "0.1"), (form.after, "0.2")):
        number.selectAll()
        qtbot.keyClicks(number, seconds)
        qtbot.keyClick(number, Qt.Key.Key_Tab)
    form.keep("For the hall", "dirty")
    choose(window, "h264")
    form.before.setValue(0)
    form.rate.setCurrentIndex(0)
    choose(window, "For the hall")
    assert (form.rate.currentData(), form.before.value(), form.after.value()) == ("50", 0.1, 0.2)
    output.last.setValue(3)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    made = open_reel(Path(output.path.text()))
    assert (len(made), made.format.rate) == (5 + 4 + 10, 50)
    ((_, proof),) = window.session.job_file.runs()
    assert "Black was put before them (5 frames) and after (10)." in proof["summary"]


def test_samples_and_fields_of_an_access_copy(qtbot: QtBot, window: Window) -> None:
    window.session.declare(field_order="bottom_first")
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert form.whole_frames.isVisible(), "a master may be of whole frames"
    assert not any(box.isVisible() for box in (form.first_field, form.chroma, form.levels))
    choose(window, "av1")
    assert (form.chroma.isVisible(), form.levels.isVisible(), form.bits.isVisible()) == (False, True, True)
    assert [form.bits.itemData(place) for place in range(form.bits.count())] == [None, 8, 10]
    choose(window, "prores-422-hq")
    assert (form.first_field.isVisible(), form.chroma.isVisible(), form.levels.isVisible()) == (True, False, False)
    choose(window, "h264")
    for box, keys in ((form.first_field, "top"), (form.chroma, "4:2:2"), (form.levels, "full")):
        box.setFocus()
        qtbot.keyClicks(box, keys)
    form.keep("For the other deck", "dirty")
    assert user_versions().all()[0].first_field == "top"
    choose(window, "h264")
    for box in (form.first_field, form.chroma, form.levels):
        box.setCurrentIndex(0)
    choose(window, "For the other deck")
    assert [form.first_field.currentData(), form.chroma.currentData(), form.levels.currentData()] == [
        "top", "4:2:2", "full",
    ]  # fmt: skip
    output.last.setValue(3)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    made = open_reel(Path(output.path.text())).format
    assert (made.field_order, made.chroma, made.full_range) == ("top_first", "4:2:2", True)
    window.session.declare(field_order="progressive")
    qtbot.waitUntil(lambda: "no two fields" in output.picture._words, timeout=WAIT_MS)
    window.session.declare(field_order="bottom_first")
    choose(window, "h265")
    form.whole_frames.setFocus()
    qtbot.keyClick(form.whole_frames, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: "fields" in output._treated.text(), timeout=WAIT_MS)
    qtbot.waitUntil(lambda: "look at the whole reel first" in output._caption.text(), timeout=WAIT_MS)
    assert not form.first_field.isEnabled(), "whole frames have none"
    output.last.setValue(3)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    assert len(open_reel(Path(output.path.text()))) == 4
    assert window.session.treatment.steps == (), "the job's own treatment stays as it is"


def test_a_damaged_queue_is_said_and_stops_nothing_else(qtbot: QtBot, window: Window) -> None:
    queue = window.output._queue._path
    queue.parent.mkdir(parents=True, exist_ok=True)
    queue.write_bytes(b"a line of somebody else's\n" * 400)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    shown = window.output.queue.fault
    qtbot.waitUntil(shown.isVisible, timeout=WAIT_MS)
    assert "is damaged" in shown.text()
    assert "Move the file away" in shown.text()
    qtbot.mouseClick(window.output.write, LEFT)
    assert "is damaged" in window.messages.fault
    queue.unlink()
    qtbot.waitUntil(lambda: not shown.isVisible(), timeout=WAIT_MS)
    qtbot.mouseClick(window.output.write, LEFT)
    written(qtbot, window)
    assert states(window) == ["done"]


def test_an_act_on_a_queue_that_is_held_is_said(qtbot: QtBot, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output = window.output
    output._queue.add(output._order(window.session.entry))
    output.queue.show_orders()
    output.queue.table.selectRow(0)
    monkeypatch.setattr("grevin.core.job.queue.PATIENCE_S", 0.05)
    with closing(sqlite3.connect(output._queue._path)) as other:
        other.execute("BEGIN EXCLUSIVE")
        qtbot.mouseClick(output.queue.hold, LEFT)
        assert "wait for who holds it" in window.messages.fault
    output.queue.show_orders()
    assert states(window) == ["waiting"]
