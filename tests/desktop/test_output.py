"""Output: versions, a picture of what will be written, the queue and what can be done about it."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from grevin.core.job.handing_over import hand_over, verify_folder
from grevin.core.media.opening import open_reel
from grevin.core.picture.format import PictureFormat
from grevin.core.progress import Progress
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
