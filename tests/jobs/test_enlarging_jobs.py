"""Worked jobs about enlarging, done in the real window: docs/jobs."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.core.picture.resampling import KERNELS, resized
from grevin.demo.tape_reels import at_its_size, enlarged_before, undamaged, without_borders
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.desktop.conftest import WAIT_MS, settle
from tests.jobs.doing import add, away, part_of, studied, written

LENGTH = 5
PART = (160, 200, 240, 180)  # left, top, width, height: px of the reel; whole pairs of chroma lines of either field
LARGE_PART = (180, 96, 480, 360)  # of the reel that is said to be HD: whole samples of what it was


def sharpness(luma: np.ndarray) -> float:
    return float(np.mean(np.square(np.diff(luma.astype(np.float32), 2, axis=1))))


def test_a_tape_for_broadcast_in_hd(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    frames = [part_of(undamaged(number), PART) for number in range(LENGTH)]
    window: Window = new_window(write_video(tmp_path / "tape.mkv", frames))
    window.session.declare(field_order="top_first", pixel_aspect="16:15")
    settle(qtbot, window)
    add(qtbot, window, "more lines")
    settle(qtbot, window)
    assert "interlaced picture cannot be enlarged" in window.messages.text
    add(qtbot, window, "combed")
    studied(qtbot, window)
    assert [step.step for step in window.session.treatment.steps] == ["fields", "enlarge"]
    window.session.change_settings(2, {"height": 360})
    studied(qtbot, window)
    window.session.go(LENGTH // 2)
    settle(qtbot, window)
    assert "enlarged, output 512x360" in window.parts.state.text()
    window.session.view_from(2)
    settle(qtbot, window)
    table = window.bench.table
    assert table.look.before.shape == table.look.after.shape, "compared at one scale"
    assert table.look.scaled
    QTest.keyPress(table, Qt.Key.Key_B)
    settle(qtbot, window)
    made = written(qtbot, window, tmp_path / "hd.mkv")
    reel = open_reel(tmp_path / "hd.mkv")
    assert (reel.format.width, reel.format.height, reel.format.pixel_aspect) == (512, 360, 1)
    middle = LENGTH // 2
    source = window.session.chain.view_points[1].frame(middle).rounded().planes[0].astype(np.float32)
    large = made[middle].planes[0].astype(np.float32)
    assert float(np.sqrt(np.mean(np.square(resized(large, source.shape, KERNELS["cubic"]) - source)))) < 1.0
    assert sharpness(large) > 1.05 * sharpness(resized(source, large.shape, KERNELS["lanczos"]))


def test_is_it_really_hd(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    truth = [part_of(at_its_size(number), LARGE_PART) for number in range(3)]
    frames = [part_of(enlarged_before(at_its_size(number)), LARGE_PART) for number in range(3)]
    window: Window = new_window(write_video(tmp_path / "hd.mkv", frames))
    settle(qtbot, window)
    window.do("go_survey")
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(lambda: window.surveying.survey is not None, timeout=WAIT_MS)
    settle(qtbot, window)
    said = re.search(r"Detail is carried by: ([\d.]+) % of the lines", window.survey.condition.words.text())
    assert said is not None
    assert 33 <= float(said[1]) < 50, "a third of the lines, and no more than half as many again"
    window.do("go_bench")
    assert "lines would carry this shot's detail" in add(qtbot, window, "more lines")
    came, lost = frames[1], {}
    add(qtbot, window, "more lines")
    window.session.change_settings(2, {"height": LARGE_PART[3], "way": "lanczos"})
    window.session.view_from(2)
    for lines in (144, 90, 120):  # 288, 180 and 240 of the whole picture's 720
        window.session.change_settings(1, {"height": lines, "way": "lanczos"})
        studied(qtbot, window)
        lost[lines] = away(window.session.chain.view_points[2].frame(1).rounded(), came)
    assert lost[120] < 1.3 * lost[144], "next to nothing more is lost"
    assert lost[90] > 1.8 * lost[120], "every edge is: it was no smaller"
    window.session.change_settings(2, {"way": "learned"})
    studied(qtbot, window)
    made = written(qtbot, window, tmp_path / "better.mkv")
    assert away(made[1], truth[1]) < 0.85 * away(came, truth[1]), "1.4 dB and more"


def test_a_slow_move_into_a_still_shot(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    frames = [part_of(without_borders(number), PART) for number in range(LENGTH)]
    window: Window = new_window(write_video(tmp_path / "harbour.mkv", frames))
    settle(qtbot, window)
    add(qtbot, window, "slow move")
    assert [step.step for step in window.session.treatment.steps] == ["reframe"]
    keys = [{"frame": 0, "zoom": 1.0}, {"frame": LENGTH - 1, "zoom": 1.65}]
    window.session.change_settings(1, {"keys": keys})
    studied(qtbot, window)
    plain = written(qtbot, window, tmp_path / "plain.mkv")
    window.do("go_bench")
    window.session.change_settings(1, {"sampling": "learned"})
    studied(qtbot, window)
    crisp = written(qtbot, window, tmp_path / "crisp.mkv")
    assert np.array_equal(plain[0].planes[0], frames[0].planes[0]), "nothing is sampled before the move begins"
    assert np.array_equal(crisp[0].planes[0], frames[0].planes[0])
    assert sharpness(crisp[-1].planes[0]) > 1.05 * sharpness(plain[-1].planes[0])
    assert np.array_equal(crisp[-1].planes[1], plain[-1].planes[1]), "colour is sampled as before"
