"""Starting the window."""

from __future__ import annotations

import logging
import signal
import sys
from functools import partial
from pathlib import Path
from types import TracebackType

import platformdirs
from PySide6.QtCore import QLocale, QTimer
from PySide6.QtWidgets import QApplication

from grevin.core.steps.registry import REGISTRY
from grevin.desktop import texts
from grevin.desktop.style import look
from grevin.desktop.window import Window

WAKE_MS = 200  # Python looks at signals only when it runs: an interrupt from the terminal is seen this soon


def make_application() -> QApplication:
    """The application with Grevin's look."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("grevin")
    app.setApplicationDisplayName("Grevin")
    texts.put_on(app, QLocale.system())
    look.put_on(app)
    return app


def say_uncaught(window: Window, kind: type[BaseException], fault: BaseException, where: TracebackType | None) -> None:
    """What nobody caught where it happened is said in the window."""
    if isinstance(fault, Exception):
        window.tell_fault(fault)
    else:
        sys.__excepthook__(kind, fault, where)


def run_window(path: Path | None) -> int:
    """Show the window until it is closed; returns the exit status."""
    log = Path(platformdirs.user_log_dir("grevin")) / "grevin.log"
    log.parent.mkdir(parents=True, exist_ok=True)
    logging.basicConfig(filename=log, format="%(asctime)s %(levelname)s %(message)s")
    app = make_application()
    window = Window()
    window.show()
    if REGISTRY.faults:
        window.messages.say(" ".join(REGISTRY.faults))
    sys.excepthook = partial(say_uncaught, window)
    signal.signal(signal.SIGINT, lambda *_: window.close_now())
    signal.signal(signal.SIGTERM, lambda *_: window.close_now())
    wake = QTimer(interval=WAKE_MS)
    wake.timeout.connect(lambda: None)
    wake.start()
    if path is not None:
        window.open(path)
    return int(app.exec())
