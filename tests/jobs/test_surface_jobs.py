"""Worked jobs about the surface of film, done in the real window: docs/jobs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.desktop.window import Window
from tests.desktop.conftest import settle
from tests.jobs.doing import add, scratched_reel, studied, written

LENGTH = 16


def off_in_blue(frame: Frame, right: Frame, columns: slice) -> float:
    return float(np.abs(to_rgb(frame)[60:300, columns, 2] - to_rgb(right)[60:300, columns, 2]).mean() * 255)


def test_two_scratches_two_channels(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    path, before, right = scratched_reel(tmp_path, LENGTH)
    window: Window = new_window(path)
    window.session.go(LENGTH // 2)
    settle(qtbot, window)
    QTest.keyClick(window.bench.table, Qt.Key.Key_7)
    settle(qtbot, window)
    assert window.bench.table.look.after.shape[:2] == (320, 416)
    words = add(qtbot, window, "scratches")
    assert "Up to 2 scratches on a frame, on 16 of 16 frames" in words
    QTest.keyClick(window.bench.table, Qt.Key.Key_V)
    settle(qtbot, window)
    both = window.bench.table.look.evidence
    assert len(both.blobs) == 2
    window.session.change_settings(1, {"min_length_pct": 60})
    studied(qtbot, window)
    assert len(window.bench.table.look.evidence.blobs) == 1, "the long one, which shows in blue alone"
    window.do("undo")
    studied(qtbot, window)
    made = written(qtbot, window, tmp_path / "mended.mkv")
    middle = LENGTH // 2
    for blob in both.blobs:
        columns = slice(blob.area[0], blob.area[0] + blob.area[2])
        worn, mended = (off_in_blue(some[middle], right[middle], columns) for some in (before, made))
        assert mended < 0.7 * worn
    outside = ~both.mask
    assert np.array_equal(made[middle].planes[0][outside], before[middle].planes[0][outside])
    assert "16 were mended" in window.output.result.text()
