"""Worked jobs about noise, done in the real window: docs/jobs."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from grevin.core.measure.area import Box
from grevin.core.measure.noise.model import unpacked
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.demo.noise_reels import HELD_FRAMES, dusk, night
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.desktop.conftest import WAIT_MS, settle
from tests.jobs.doing import add, away, noisy_reel, studied, without_noise, written

LENGTH = 9
MIDDLE = LENGTH // 2
RED_OF_THE_TOWER = 300, 173, 24, 10


def test_grain_down_detail_kept(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    path, before = noisy_reel(tmp_path, "lighthouse-at-dusk", LENGTH)
    window: Window = new_window(path)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
    window.do("go_bench")
    words = add(qtbot, window, "noise")
    assert "much coarser than the picture's own pixels" in words
    assert "a good measure" in words
    assert "nothing but noise was taken" in words
    for key in (Qt.Key.Key_T, Qt.Key.Key_3, Qt.Key.Key_V):
        QTest.keyClick(window.bench.table, key)
        settle(qtbot, window)
    assert window.bench.table.look.harm < 0.12, "what is taken away does not go with the picture's detail"
    chart = window.bench.path.card(1).chart
    QTest.mouseClick(chart.ask, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Behind the step" in chart.words.text(), timeout=WAIT_MS)
    made, truth = written(qtbot, window, tmp_path / "dusk.mkv"), without_noise(dusk, LENGTH)
    assert away(made[MIDDLE], truth[MIDDLE]) < away(before[MIDDLE], truth[MIDDLE]) / 2.5
    sharp = [float(np.abs(np.diff(f.planes[0].astype(float), axis=1)).max()) for f in (made[MIDDLE], truth[MIDDLE])]
    assert sharp[0] > 0.7 * sharp[1], "the lighthouse has its edges"


def test_noise_that_stands_still_for_frames(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    length = 4 * HELD_FRAMES
    path, before = noisy_reel(tmp_path, "quay-by-night", length)
    window: Window = new_window(path)
    assert "The noise renews every 4 frames" in add(qtbot, window, "noise")
    made, truth = written(qtbot, window, tmp_path / "night.mkv"), without_noise(night, length)
    number = length // 2
    left = away(made[number], truth[number])
    assert left < away(before[number], truth[number]) / 2
    window.do("go_bench")
    window.session.change_settings(1, {"renews_every_frames": 1})
    studied(qtbot, window)
    window.session.go(number)
    studied(qtbot, window)
    fresh = window.bench.table.look.frame
    assert left < away(fresh, truth[number]), "taken for fresh, less of it goes"


def test_take_the_grain_repair_give_it_back(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    _, grainy = noisy_reel(tmp_path, "lighthouse-at-dusk", LENGTH)
    damage = DirtDamage(seed=4, blobs_per_frame=5.0, largest_px=18.0)
    dirty = [damage.add(frame) for frame in grainy]
    window: Window = new_window(write_video(tmp_path / "dirty.mkv", [frame for frame, _ in dirty]))
    for words in ("noise", "dust", "wax"):
        window.bench.table.setFocus()
        QTest.keyClick(window.bench.table, Qt.Key.Key_N)
        QTest.keyClicks(QApplication.focusWidget(), words)
        QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
        studied(qtbot, window)
    assert [step.step for step in window.session.treatment.steps] == ["noise", "dirt", "grain"]
    made, truth = written(qtbot, window, tmp_path / "repaired.mkv"), without_noise(dusk, LENGTH)
    chain = window.session.chain
    known = unpacked(chain.steps[2].study_of(MIDDLE))
    quiet = chain.view_points[2].frame(MIDDLE)
    back = made[MIDDLE].planes[0].astype(np.float32) - np.asarray(quiet.planes[0], np.float32)
    assert float(back.std()) == pytest.approx(known.typical, rel=0.1), "as much grain as there was"
    mask = dirty[MIDDLE][1].mask
    worn, mended = (
        float(np.abs(f.planes[0].astype(np.float32) - truth[MIDDLE].planes[0])[mask].mean())
        for f in (dirty[MIDDLE][0], quiet)
    )
    assert mended < 0.6 * worn, "repaired on the quiet picture"


def test_a_steadier_colour_key(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    path, _ = noisy_reel(tmp_path, "lighthouse-at-dusk", LENGTH)
    window: Window = new_window(path)
    window.session.go(MIDDLE)
    add(qtbot, window, "noise")
    check = window.bench.measuring.colours
    window.do("colour_range")
    assert "Measure a box on a colour first" in window.messages.text
    window.bench.measuring.show_box(Box(*RED_OF_THE_TOWER))
    QTest.keyClick(window.bench.table, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: "In the source" in check.words.text(), timeout=WAIT_MS)
    share, flips, source = (float(number) for number in re.findall(r"([\d.]+) %", check.words.text()))
    assert 0.5 < share < 5, "the red of the tower"
    assert flips < 0.7 * source, "the key is steadier on what is quiet; what moves goes on moving"
    shown = window.bench.table.look.after
    assert np.ptp(shown[10, 200, :3]) == 0, "the sky is grey"
    assert np.ptp(shown[177, 312, :3]) > 20, "the tower is red"
    QTest.keyClick(window.bench.table, Qt.Key.Key_Escape)
    settle(qtbot, window)
    assert check.colours is None
    assert not check.switch.isChecked()
