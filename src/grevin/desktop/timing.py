"""Times the real window, for `grevin bench --suite looking`: `python -m grevin.desktop.timing REEL [scopes]`.

Prints JSON: seconds until the first picture, pictures shown a second while playing, processor time a picture.
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

from PySide6.QtCore import QEventLoop, QSettings, QTimer

from grevin.desktop.main import make_application
from grevin.desktop.window import Window

PLAY_S = 5.0
MOVES = 60


def _wait(milliseconds: int) -> None:
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def _first_picture(window: Window, path: Path) -> float:
    started = time.monotonic()
    loop = QEventLoop()
    window.bench.looked.connect(loop.quit)
    window.open(path)
    loop.exec()
    window.bench.looked.disconnect(loop.quit)
    return time.monotonic() - started


def _play(window: Window) -> tuple[float, float, float]:
    """(pictures, scopes a second, processor milliseconds a picture)."""
    shown: list[object] = []
    window.bench.looked.connect(shown.append)
    scopes, used, started = window.bench.scopes.taken, time.process_time(), time.monotonic()
    window.do("play")
    _wait(round(PLAY_S * 1000))
    seconds = time.monotonic() - started
    used = time.process_time() - used
    window.do("play")
    scopes = window.bench.scopes.taken - scopes
    return len(shown) / seconds, scopes / seconds, 1000 * used / max(1, len(shown))


def _move(window: Window) -> float:
    """Zooms and pans a second, each painted."""
    table = window.bench.table
    window.do("zoom_200")
    started = time.monotonic()
    for number in range(MOVES):
        window.do("pan_left" if number % 2 else "pan_right")
        if number % 10 == 0:
            window.do("zoom_in" if number % 20 else "zoom_out")
        table.repaint()
        window.bench.strip.repaint()
    return MOVES / (time.monotonic() - started)


def time_window(path: Path, scopes: bool) -> dict[str, float]:
    """Open a reel in the window and play it; the window's settings lie beside the reel."""
    make_application()
    window = Window(QSettings(str(path.with_suffix(".ini")), QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
    first = _first_picture(window, path)
    window.bench.show_scopes(scopes)
    _wait(1500)
    pictures, measured, used = _play(window)
    _wait(300)
    moves = _move(window)
    window.close()
    return {
        "first_picture_s": round(first, 2), "shown_per_s": round(pictures, 1), "scopes_per_s": round(measured, 1),
        "processor_ms_per_picture": round(used, 1), "moves_per_s": round(moves, 1),
    }  # fmt: skip


if __name__ == "__main__":
    sys.stdout.write(json.dumps(time_window(Path(sys.argv[1]), "scopes" in sys.argv[2:])))
