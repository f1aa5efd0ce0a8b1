"""Worked jobs about bands, and about what is no flicker, done in the real window: docs/jobs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.demo.time_reels import FERRY, REGATTA
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.desktop.conftest import WAIT_MS, settle
from tests.jobs.doing import FRAMES, add, at_rest, drawn, off, studied, written


def test_a_band_that_rolls(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    path = drawn(tmp_path, "regatta-with-a-band")
    window: Window = new_window(path)
    words = add(qtbot, window, "band")
    assert "rolls up by" in words
    source = open_reel(path)
    before = [source.frame(number) for number in range(FRAMES)]
    made = written(qtbot, window, tmp_path / "band.mkv")
    truth = at_rest(REGATTA, 1.0)
    rows = slice(120, 140), slice(None)
    assert off(made, truth, rows) < 0.25 * off(before, truth, rows)
    window.do("go_bench")
    window.session.select(1)
    settle(qtbot, window)
    QTest.keyClick(window.bench.table, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    settle(qtbot, window)
    steps = window.session.treatment.steps
    assert [(step.step, step.enabled) for step in steps] == [("bands", False), ("light", True)]
    assert len(steps[1].regions) >= 2, "a region for each dark place"
    by_hand = written(qtbot, window, tmp_path / "band-by-hand.mkv")
    assert off(made, truth, rows) < off(by_hand, truth, rows) < 0.6 * off(before, truth, rows)
    window.do("undo")
    assert [(step.step, step.enabled) for step in window.session.treatment.steps] == [("bands", True)]


def test_is_it_flicker_at_all(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    window: Window = new_window(drawn(tmp_path, "ferry-that-pulses"))
    assert "the same every 8 frames" in add(qtbot, window, "flickers")
    calm = tmp_path / "calm.mkv"
    write_video(calm, at_rest(FERRY, 1.0))
    window.open(calm)
    qtbot.waitUntil(lambda: window.session.entry.title == "calm", timeout=WAIT_MS)
    studied(qtbot, window)
    assert "No flicker in this shot" in add(qtbot, window, "flickers")
    source = open_reel(calm)
    made = written(qtbot, window, tmp_path / "calm-out.mkv")
    assert all(np.array_equal(one.planes[0], source.frame(n).planes[0]) for n, one in enumerate(made)), "bit for bit"
