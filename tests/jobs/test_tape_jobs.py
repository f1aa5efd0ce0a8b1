"""Worked jobs about tape, done in the real window: docs/jobs."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.figures import blockiness_db, psnr, squared_error
from grevin.core.steps.evidence import Blob
from grevin.demo.tape_reels import (
    DROPOUTS,
    RAGGED,
    before_coding,
    coded,
    line_doubled,
    new_news,
    swaying,
    trembling,
    undamaged,
    with_wires,
    without_borders,
    worn_news,
)
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.desktop.conftest import WAIT_MS, settle
from tests.desktop.test_verdicts import middle_of
from tests.jobs.doing import add, part_of, written

LENGTH = 12
PART = (160, 200, 360, 280)  # left, top, width, height: px of the reel; whole pairs of chroma lines of either field

WIRED = (200, 40, 360, 280)  # three wires cross it


def test_streaks_on_a_tape(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = [part_of(undamaged(number), PART) for number in range(LENGTH)]
    damage = replace(DROPOUTS, a_frame=6.0)  # as many on the part as on the whole reel
    worn = [damage.add(frame) for frame in clean]
    window: Window = new_window(write_video(tmp_path / "tape.mkv", [frame for frame, _ in worn]))
    window.session.declare(field_order="top_first")
    settle(qtbot, window)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
    assert "dropout" in window.session.findings.kinds()
    window.do("go_bench")
    add(qtbot, window, "streaks")
    assert [step.step for step in window.session.treatment.steps] == ["dropout"]
    middle = max(range(1, LENGTH - 1), key=lambda n: int(worn[n][1].mask.sum()))
    window.session.go(middle)
    settle(qtbot, window)
    QTest.keyClick(window.bench.table, Qt.Key.Key_V)
    settle(qtbot, window)
    evidence = window.bench.table.look.evidence
    truth = worn[middle][1].mask
    assert (evidence.mask & truth).sum() > 0.65 * truth.sum()
    _choose_a_source(qtbot, window, max(evidence.blobs, key=lambda blob: blob.pixels))
    made = written(qtbot, window, tmp_path / "mended.mkv")
    right, before, after = (to_rgb(one) * 255 for one in (clean[middle], worn[middle][0], made[middle]))
    gain, whole = (
        psnr(*squared_error(after, right, mask)) - psnr(*squared_error(before, right, mask))
        for mask in (truth & evidence.mask, truth)
    )
    assert gain > 12
    assert whole > 3
    for number in range(LENGTH):
        outside = ~window.session.chain.evidence_at(1, number).mask
        assert np.array_equal(made[number].planes[0][outside], worn[number][0].planes[0][outside])
    assert "were mended" in window.output.result.text()


def _choose_a_source(qtbot: QtBot, window: Window, blob: Blob) -> None:
    """Go through the sources of one streak, until the step decides again."""
    specks, seen = window.bench.specks, []
    qtbot.mouseMove(window.bench.table, middle_of(window, blob.area))
    settle(qtbot, window)
    assert specks.picked is not None
    for source in ("before", "after", "both", "lines", ""):
        QTest.keyClick(window.bench.table, Qt.Key.Key_U, Qt.KeyboardModifier.ShiftModifier)
        settle(qtbot, window)
        assert specks.picked.source == source
        seen.append(window.bench.table.look.frame.planes[0])
        assert "likely to be off, in levels" in specks.words
    assert any(not np.array_equal(seen[0], other) for other in seen[1:])
    assert window.session.job_file.undo_label() == "Mend a place"
    window.do("undo")
    settle(qtbot, window)
    assert specks.words.startswith("Mended by your word")
    assert "filled from the lines above and below (100%)" in specks.words.lower()
    for _ in range(4):
        window.do("undo")
        settle(qtbot, window)
    assert specks.picked.source == ""
    assert specks.words.startswith("Mended: ")


def test_the_ragged_edge(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = [without_borders(number) for number in range(LENGTH)]
    worn = [RAGGED.add(frame)[0] for frame in clean]
    window: Window = new_window(write_video(tmp_path / "ragged.mkv", worn))
    settle(qtbot, window)
    add(qtbot, window, "ragged")
    assert [step.step for step in window.session.treatment.steps] == ["edges"]
    qtbot.waitUntil(lambda: window.session.chain.steps[0].is_studied(0), timeout=WAIT_MS)
    window.session.go(LENGTH // 2)
    settle(qtbot, window)
    QTest.keyClick(window.bench.table, Qt.Key.Key_V)
    settle(qtbot, window)
    mask, truth = window.bench.table.look.evidence.mask, RAGGED.add(clean[0])[1].mask
    assert (mask != truth).sum() <= 2 * sum(truth.shape), "each side within a pixel"
    made = written(qtbot, window, tmp_path / "whole.mkv")
    middle = LENGTH // 2
    before, after = (
        psnr(*squared_error(one.luma8(), clean[middle].luma8(), mask)) for one in (worn[middle], made[middle])
    )
    assert after > before + 8
    for number in range(LENGTH):
        assert np.array_equal(made[number].planes[0][~mask], worn[number].planes[0][~mask])


def test_an_old_capture_with_blocks(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = [part_of(before_coding(number), PART) for number in range(LENGTH)]
    window: Window = new_window(write_video(tmp_path / "blocks.mkv", [coded(frame) for frame in clean]))
    settle(qtbot, window)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
    assert "compression" in window.session.findings.kinds()
    window.do("go_bench")
    add(qtbot, window, "blocks")
    assert [step.step for step in window.session.treatment.steps] == ["compression"]
    qtbot.waitUntil(lambda: window.session.chain.steps[0].is_studied(0), timeout=WAIT_MS)
    assert "The blocks of a codec show in brightness" in window.session.chain.steps[0].told(0)[0]
    made = written(qtbot, window, tmp_path / "cleaned.mkv")
    for number in (2, LENGTH // 2):
        right, before = clean[number].luma8(), coded(clean[number]).luma8()
        after = made[number].luma8()
        assert psnr(*squared_error(after, right)) > psnr(*squared_error(before, right)) + 1.0
        assert blockiness_db(right, after) > blockiness_db(right, before) + 2.0


def test_telegraph_wires(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = [part_of(with_wires(number), WIRED) for number in range(LENGTH)]
    worn = [line_doubled(frame) for frame in clean]
    window: Window = new_window(write_video(tmp_path / "wires.mkv", worn))
    settle(qtbot, window)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
    assert "stairs" in window.session.findings.kinds()
    window.do("go_bench")
    add(qtbot, window, "jagged")
    assert [step.step for step in window.session.treatment.steps] == ["stairs"]
    qtbot.waitUntil(lambda: window.session.chain.steps[0].is_studied(0), timeout=WAIT_MS)
    assert "Lines repeat: 2 for each sample" in " ".join(window.session.chain.steps[0].told(0))
    middle = LENGTH // 2
    window.session.go(middle)
    settle(qtbot, window)
    QTest.keyClick(window.bench.table, Qt.Key.Key_V)
    settle(qtbot, window)
    mask = window.bench.table.look.evidence.mask
    assert mask[1::2].all(), "every second line is a repeat"
    made = written(qtbot, window, tmp_path / "smooth.mkv")
    for number in (2, middle):
        right, before, after = (one.luma8() for one in (clean[number], worn[number], made[number]))
        assert psnr(*squared_error(after, right)) > psnr(*squared_error(before, right)) + 3.0
        outside = ~window.session.chain.evidence_at(1, number).mask
        assert np.array_equal(made[number].planes[0][outside], worn[number].planes[0][outside])


def _gains(clean: Frame, worn: Frame, made: Frame) -> list[float]:
    """By how many dB each plane came nearer to the clean one, its sides left out."""
    inner = slice(16, -16), slice(16, -16)
    return [
        psnr(*squared_error(right[inner], after[inner])) - psnr(*squared_error(right[inner], before[inner]))
        for right, before, after in zip(clean.planes, worn.planes, made.planes, strict=True)
    ]


def test_a_tape_that_trembles(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = [part_of(without_borders(number), PART) for number in range(LENGTH)]
    worn = [trembling(frame) for frame in clean]
    window: Window = new_window(write_video(tmp_path / "trembling.mkv", worn))
    settle(qtbot, window)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
    assert {"jitter", "chroma"} <= set(window.session.findings.kinds())
    window.do("go_bench")
    add(qtbot, window, "tremble")
    add(qtbot, window, "colour lies")
    assert [step.step for step in window.session.treatment.steps] == ["jitter", "chroma"]
    chain = window.session.chain
    qtbot.waitUntil(lambda: all(step.is_studied(0) for step in chain.steps), timeout=WAIT_MS)
    assert "to the right" in chain.steps[1].told(0)[0]
    made = written(qtbot, window, tmp_path / "steady.mkv")
    for number in (2, LENGTH // 2):
        luma, *colours = _gains(clean[number], worn[number], made[number])
        assert luma > 4
        assert min(colours) > 10


def test_a_tape_that_sways(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean, worn = ([part_of(frame, PART) for frame in frames] for frames in zip(
        *((new_news(number), swaying(number)) for number in range(LENGTH)), strict=True
    ))  # fmt: skip
    window: Window = new_window(write_video(tmp_path / "swaying.mkv", worn))
    window.session.declare(field_order="top_first")
    settle(qtbot, window)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
    assert "wobble" in window.session.findings.kinds()
    window.do("go_bench")
    card = add(qtbot, window, "sways")
    assert [step.step for step in window.session.treatment.steps] == ["wobble"]
    assert "Lines sway together by" in card
    made = written(qtbot, window, tmp_path / "straight.mkv")
    gained = [_gains(clean[number], worn[number], made[number]) for number in range(LENGTH)]
    assert np.mean(gained, axis=0).min() > 2
    assert np.median(gained, axis=0).min() > 2


def test_a_tape_as_it_came(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    # One after the other: what both are painted from is painted once
    clean, worn = zip(*((new_news(number), worn_news(number)) for number in range(LENGTH)), strict=True)
    window: Window = new_window(write_video(tmp_path / "tape.mkv", list(worn)))
    window.session.declare(field_order="top_first")
    settle(qtbot, window)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
    assert {"dropout", "jitter", "chroma", "edges"} <= set(window.session.findings.kinds())
    window.do("go_bench")
    for words in ("ragged", "streaks", "tremble", "colour lies"):  # sides go behind all others
        add(qtbot, window, words)
    assert [step.step for step in window.session.treatment.steps] == ["dropout", "jitter", "chroma", "edges"]
    chain = window.session.chain
    qtbot.waitUntil(lambda: all(step.is_studied(0) for step in chain.steps[1:]), timeout=WAIT_MS)
    said = " ".join(chain.steps[2].told(0))
    assert "to the right" in said
    assert "colour ran out along the lines" in said
    made = written(qtbot, window, tmp_path / "mended.mkv")
    for number in (2, LENGTH // 2):
        luma, *colours = _gains(clean[number], worn[number], made[number])
        assert luma > 4
        assert min(colours) > 3
    assert (made[2].planes[0][:, :4] > 24).any(), "the sides are filled"
