from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from pytestqt.qtbot import QtBot

from grevin.desktop.main import make_application
from grevin.desktop.window import Window

WAIT_MS = 120_000  # a machine may be slow and busy: only what never comes is a fault


@pytest.fixture(scope="session")
def qapp():
    return make_application()


@pytest.fixture
def new_window(qtbot: QtBot, tmp_path: Path) -> Iterator[Callable[[Path | None], Window]]:
    """Windows as a person gets them; on leaving, no thread of ours may be alive."""
    opened: list[Window] = []

    def make(path: Path | None) -> Window:
        window = Window(QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat))
        opened.append(window)
        window.resize(1280, 800)
        window.show()
        qtbot.waitExposed(window)
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow, timeout=WAIT_MS)
        if path is not None:
            window.open(path)
            settle(qtbot, window)
            assert window.session.reel is not None, window.messages.text
        return window

    yield make
    for window in opened:
        window.output.stop()  # what a failed test left writing: a window would ask first, and stay
        window.close()
        window.deleteLater()
    assert all(window.threads_alive() == [] for window in opened)


def settle(qtbot: QtBot, window: Window) -> None:
    """Wait until nothing is being opened, looked at or written."""

    def idle() -> bool:
        return not (window.opening.busy or window.bench.busy or window.output.writing)

    qtbot.waitUntil(idle, timeout=WAIT_MS)
    qtbot.wait(30)
    qtbot.waitUntil(idle, timeout=WAIT_MS)


@pytest.fixture
def window(new_window: Callable[[Path | None], Window], dirty_reel: Path) -> Window:
    return new_window(dirty_reel)


@pytest.fixture
def treated(qtbot: QtBot, window: Window) -> Window:
    """A window on the fourth frame of a dirty reel, under the dirt step."""
    window.session.go(3)
    window.session.add_step("dirt")
    settle(qtbot, window)
    return window
