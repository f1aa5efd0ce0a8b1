"""The start view: the demo first, the last jobs with a picture and what was being done, the first ten minutes."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton, QTextBrowser
from pytestqt.qtbot import QtBot

from grevin.core.errors import NoSpaceError
from grevin.core.progress import Progress
from grevin.demo import making
from grevin.desktop.keys import key_of
from grevin.desktop.main import say_uncaught
from grevin.desktop.window import Window
from tests.desktop.conftest import WAIT_MS, settle


def test_the_demo_is_drawn_and_opened_from_the_start_view(
    qtbot: QtBot, new_window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    real = making.make_demo

    def short(folder: Path, progress: Progress) -> making.DemoFiles:
        return real(folder, progress, range(6))

    monkeypatch.setattr("grevin.desktop.start.starting.make_demo", short)
    monkeypatch.setattr("grevin.desktop.start.starting.demo_folder", lambda: tmp_path / "demo")
    window: Window = new_window(None)
    button = window.start_view.findChild(QPushButton, "start_open_demo")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.session.reel is not None, timeout=WAIT_MS)
    settle(qtbot, window)
    assert window.session.entry.title == "port-ellery-reel"


def test_jobs_are_listed_with_a_picture_and_what_was_being_done(qtbot: QtBot, window: Window) -> None:
    window.session.add_step("dirt")
    window.session.go(5)
    settle(qtbot, window)
    name = window.session.job_file.path.stem
    window.do("start_page")
    settle(qtbot, window)
    assert window.start_view.isVisible()
    item = window.start_view.jobs.item(0)
    assert item.text().splitlines()[:2] == [name, "dirty, frame 5, 1 step"]
    picture = item.icon().pixmap(128, 96).toImage()
    assert not picture.isNull()
    assert len({picture.pixel(x, picture.height() // 2) for x in range(picture.width())}) > 20, "the reel's own picture"
    first = [label.text() for label in window.start_view.findChildren(QLabel) if label.text()[:2] in {"1.", "2.", "3."}]
    assert len(first) == 3


def test_the_first_ten_minutes_name_the_keys_as_they_are(qtbot: QtBot, new_window) -> None:
    window: Window = new_window(None)
    QTest.mouseClick(window.start_view.findChild(QPushButton, "start_first_minutes"), Qt.MouseButton.LeftButton)
    page = window.findChild(QTextBrowser).toPlainText()
    for act in ("survey", "add_step", "draw_polygon", "wipe", "go_output"):
        assert key_of(act).keys[0] in page
    assert "{" not in page


def test_what_nobody_caught_is_said_in_the_window(window: Window, caplog: pytest.LogCaptureFixture) -> None:
    say_uncaught(window, NoSpaceError, NoSpaceError("There is no room.", "Free some."), None)
    assert window.messages.fault == "There is no room. Free some."
    assert not caplog.records
    say_uncaught(window, KeyError, KeyError("gulls"), None)
    assert "Internal error (KeyError: 'gulls')" in window.messages.fault
    assert "unexpected fault" in caplog.text
