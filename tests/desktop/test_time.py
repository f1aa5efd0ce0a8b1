"""Steps that change time, in the window: studied in the background, shown over the reel's own frames, reviewed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QLabel, QLineEdit, QToolButton
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.core.steps.rebuild.step import RebuildSettings
from grevin.core.steps.rebuild.ties import TieLine
from grevin.desktop.light_table.labels import pane_words
from grevin.desktop.light_table.painting import target
from grevin.desktop.window import Window
from tests.conftest import moving_frames, write_video
from tests.core.film_time import BAR, RATE, captures, jumping_bar, source_of
from tests.desktop.conftest import WAIT_MS, settle

pytestmark = pytest.mark.gui


@pytest.fixture
def stutter(tmp_path: Path) -> Path:
    """Every fifth frame shown once more."""
    clean = moving_frames(60, 320, 240, speed=3.0)
    order = [n - n // 5 for n in range(1, 51)]
    return write_video(tmp_path / "stutter.mkv", [clean.frame(n) for n in order])


def test_repeats_are_studied_shown_and_written(qtbot: QtBot, new_window, stutter: Path, tmp_path: Path) -> None:
    window: Window = new_window(stutter)
    session, bench = window.session, window.bench
    session.add_step("repeats")
    settle(qtbot, window)
    assert session.chain.knows_time(1)
    assert "10 repeated frames were taken out" in bench.path.card(1)._facts.text()
    session.go(4)
    settle(qtbot, window)
    look = bench.table.look
    assert look.time.startswith("left out; shown instead: output frame 3 of 40, frame 3")
    np.testing.assert_array_equal(look.frame.planes[0], open_reel(stutter).frame(3).planes[0])
    assert "left out" in window.column._words(4)
    assert "left out" not in window.column._words(5)
    output = window.output
    output.path.setText(str(tmp_path / "o.mkv"))
    output.start()
    qtbot.waitUntil(lambda: not output.writing, timeout=WAIT_MS)
    assert output.result.text().startswith("Proved. 40 frames")
    assert "10 frames of the source were left out" in output.result.text()
    session.undo()
    settle(qtbot, window)
    assert bench.table.look.time == ""
    assert "left out" not in window.column._words(4)


def test_a_verdict_on_a_finding_holds_for_the_step(qtbot: QtBot, new_window, stutter: Path) -> None:
    window: Window = new_window(stutter)
    session, place = window.session, window.survey
    session.add_step("repeats")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: not window.taking_in.busy, timeout=WAIT_MS)
    qtbot.keyClick(bench_table(window), Qt.Key.Key_F3)
    qtbot.keyClick(place.table, Qt.Key.Key_S, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(lambda: window.surveying.survey is not None, timeout=WAIT_MS)
    qtbot.waitUntil(lambda: not place.busy, timeout=WAIT_MS)
    place.findings.kind.setCurrentIndex(place.findings.kind.findData("repeat"))
    qtbot.waitUntil(lambda: not place.busy, timeout=WAIT_MS)
    assert place.findings.model.rowCount() == 10
    qtbot.keyClick(place.table, Qt.Key.Key_Period)
    first = place.findings.present().first
    qtbot.keyClick(place.table, Qt.Key.Key_Backspace)
    settle(qtbot, window)
    assert first not in session.chain.timeline.left_out()
    assert len(session.chain.timeline) == 41


def test_what_a_step_doubts_is_reviewed_by_key(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = moving_frames(30, 320, 240, speed=3.0)
    order = [*range(12), *[11] * 14, *range(12, 30)]
    window: Window = new_window(write_video(tmp_path / "still.mkv", [clean.frame(n) for n in order]))
    session, place = window.session, window.survey
    session.add_step("repeats")
    settle(qtbot, window)
    assert len(session.chain.timeline) == len(order)
    qtbot.keyClick(window.bench.table, Qt.Key.Key_F3)
    qtbot.waitUntil(lambda: not place.busy and place.findings.model.rowCount() == 1, timeout=WAIT_MS)
    qtbot.keyClick(place.table, Qt.Key.Key_Period)
    assert (place.findings.present().first, place.findings.present().last) == (12, 25)
    assert (session.place.frame, session.place.view_point) == (12, 0), "what is doubted is seen as it came"
    qtbot.keyClick(place.table, Qt.Key.Key_Y)
    settle(qtbot, window)
    assert len(session.chain.timeline) == 30
    qtbot.keyClick(place.table, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(qtbot, window)
    assert len(session.chain.timeline) == len(order)
    session.remove_step(1)
    qtbot.waitUntil(lambda: not place.busy and place.findings.model.rowCount() == 0, timeout=WAIT_MS)


def bench_table(window: Window):
    return window.bench.table


def test_frames_are_typed_and_made_anew(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = moving_frames(16, 320, 240, speed=4.0)
    path = write_video(tmp_path / "clean.mkv", [clean.frame(n) for n in range(16)])
    window: Window = new_window(path)
    session, bench = window.session, window.bench
    session.add_step("rebuild")
    settle(qtbot, window)
    field = bench.path.card(1).findChild(QLineEdit, "frames")
    field.setFocus()
    qtbot.keyClicks(field, "5, 9-10")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert session.treatment.steps[0].settings["frames"] == (5, 9, 10)
    assert field.text() == "5, 9-10"
    session.go(5)
    settle(qtbot, window)
    assert bench.table.look.time == "rebuilt"
    assert not np.array_equal(bench.table.look.frame.planes[0], clean.frame(5).planes[0])
    assert "rebuilt" in window.column._words(9)
    field.setText("5, x")
    field.editingFinished.emit()
    assert "not allowed" in window.messages.text
    assert session.treatment.steps[0].settings["frames"] == (5, 9, 10)
    session.change_settings(1, {"frames": (99,)})
    settle(qtbot, window)
    assert "There is no frame 99" in window.messages.text
    assert bench.table.look is not None, "the picture before the step stays in sight"


def test_studying_is_stopped_and_begun_again(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = moving_frames(12, 640, 480)
    path = write_video(tmp_path / "long.mkv", [clean.frame(n % 12) for n in range(240)])
    window: Window = new_window(path)
    session, bench = window.session, window.bench
    session.add_step("fields")
    qtbot.waitUntil(lambda: bench.studying.busy, timeout=WAIT_MS)
    window.messages.works["study"].stop.click()
    settle(qtbot, window)
    assert not session.chain.knows_time(1)
    assert "Analysis stopped" in window.messages.text
    assert bench.table.look.view_point == 0, "until then the picture before the step is shown"
    session.switch_step(1, enabled=False)
    settle(qtbot, window)
    assert session.chain.knows_time(1)


# Made frames, tie lines, capture sets


def on_picture(window: Window, point: tuple[float, float]) -> QPoint:
    """Where a pixel of the picture lies on the light table."""
    table = window.bench.table
    place = target(table.view, table.size_of_picture(), table.panes()[0])
    return QPointF(place.left() + point[0] * table.scale(), place.top() + point[1] * table.scale()).toPoint()


def ties(window: Window) -> tuple[TieLine, ...]:
    """The tie lines of the first step."""
    settings = window.session.treatment.steps[0].model()
    assert isinstance(settings, RebuildSettings)
    return settings.ties


def drag(qtbot: QtBot, window: Window, start: tuple[float, float], end: tuple[float, float]) -> None:
    table = window.bench.table
    qtbot.mousePress(table, Qt.MouseButton.LeftButton, pos=on_picture(window, start))
    qtbot.mouseMove(table, on_picture(window, ((start[0] + end[0]) / 2, (start[1] + end[1]) / 2)))
    qtbot.mouseMove(table, on_picture(window, end))
    qtbot.mouseRelease(table, Qt.MouseButton.LeftButton, pos=on_picture(window, end))
    settle(qtbot, window)


@pytest.fixture
def bar_window(qtbot: QtBot, new_window, tmp_path: Path) -> Window:
    """A bar that jumps 45 pixels a frame, on the frame that is to be made anew."""
    path = write_video(tmp_path / "bar.mkv", [jumping_bar(n) for n in range(7)])
    window: Window = new_window(path)
    window.session.go(3)
    window.session.add_step("rebuild")
    settle(qtbot, window)
    qtbot.keyClick(window.bench.table, Qt.Key.Key_R, Qt.KeyboardModifier.AltModifier)
    settle(qtbot, window)
    return window


def test_a_frame_is_made_anew_by_key_and_led_by_tie_lines(qtbot: QtBot, bar_window: Window) -> None:
    session, bench, table = bar_window.session, bar_window.bench, bar_window.bench.table
    assert session.treatment.steps[0].settings["frames"] == (3,)
    truth = jumping_bar(3).planes[0].astype(float)

    def error() -> float:
        return float(np.square(bench.table.look.frame.planes[0] - truth).mean())

    before = error()
    assert "is a mix" in bench.path.card(1)._facts.text()
    qtbot.keyClick(table, Qt.Key.Key_K, Qt.KeyboardModifier.ShiftModifier)
    session.go(2)
    settle(qtbot, bar_window)
    drag(qtbot, bar_window, (BAR[2] + 4, 60), (BAR[2] + 4, 180))
    assert "other side of the gap" in bar_window.messages.text
    session.go(4)
    settle(qtbot, bar_window)
    drag(qtbot, bar_window, (BAR[2] + 4, 120), (BAR[4] + 4, 120))
    (tie,) = ties(bar_window)
    assert [key.frame for key in tie.keys] == [2, 4]
    assert tie.keys[1].line == pytest.approx((BAR[4] + 4, 60, BAR[4] + 4, 180), abs=1.5)
    session.go(3)
    settle(qtbot, bar_window)
    assert error() < 0.3 * before
    assert [line.state for line in table.tool._shown()] == ["between"]
    assert "frames 2, 4" in [label.text() for label in bench.path.card(1).findChildren(QLabel)]
    qtbot.keyClick(table, Qt.Key.Key_Delete)
    settle(qtbot, bar_window)
    assert ties(bar_window) == ()
    assert error() == pytest.approx(before)
    session.undo()
    assert len(ties(bar_window)) == 1
    qtbot.keyClick(table, Qt.Key.Key_Escape)
    assert table.tool is None
    session.select(0)
    settle(qtbot, bar_window)
    qtbot.keyClick(table, Qt.Key.Key_K, Qt.KeyboardModifier.ShiftModifier)
    assert table.tool is None, "its keys hold while its card is selected"


def test_the_splice_shows_the_good_frames_around_and_plays_over_the_seam(qtbot: QtBot, bar_window: Window) -> None:
    session, bench, table = bar_window.session, bar_window.bench, bar_window.bench.table
    session.go(0)
    qtbot.keyClick(table, Qt.Key.Key_S, Qt.KeyboardModifier.ShiftModifier)
    qtbot.keyClick(table, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    settle(qtbot, bar_window)
    assert session.place.frame == 3
    look = table.look
    assert [number for number, _ in look.seam] == [2, 4]
    assert pane_words(look, bench.looking.ways) == ("last good: 2", "rebuilt: 3", "first good: 4")
    assert len(table.panes()) == 3
    qtbot.keyClick(table, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    assert "No more rebuilt frames" in bar_window.messages.text
    qtbot.keyClick(table, Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    assert bench.player.playing
    assert bench.player.loop == range(7)
    qtbot.keyClick(table, Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    assert not bench.player.playing


def test_frames_that_were_put_in_are_stepped_through_and_played(qtbot: QtBot, bar_window: Window) -> None:
    session, bench, table = bar_window.session, bar_window.bench, bar_window.bench.table
    session.change_settings(1, {"frames": (), "put_in_after": (2,), "put_in": 3})
    settle(qtbot, bar_window)
    session.go(2)
    for output in (3, 4, 5, 6):
        qtbot.keyClick(table, Qt.Key.Key_F)
        settle(qtbot, bar_window)
        assert table.look.output == output
    assert session.place.frame == 3
    assert "new frames follow" in bar_window.column._words(2)
    assert "rebuilt" not in bar_window.column._words(2)
    qtbot.keyClick(table, Qt.Key.Key_D)
    settle(qtbot, bar_window)
    assert (session.place.frame, table.look.time) == (2, "rebuilt, output frame 5 of 10")
    assert bench.strip.caption(5) == ("5", "made, after frame 2")
    assert bench.strip.caption(6)[1] == "frame 3"
    qtbot.keyClick(table, Qt.Key.Key_Space)
    seen: set[int] = set()
    bench.looked.connect(lambda look: seen.add(look.output))
    qtbot.waitUntil(lambda: {3, 4, 5} <= seen, timeout=WAIT_MS)
    qtbot.keyClick(table, Qt.Key.Key_Space)
    qtbot.mouseClick(bench.strip, Qt.MouseButton.LeftButton, pos=bench.strip._cell(0).center().toPoint())
    settle(qtbot, bar_window)
    assert table.look.output == session.output


def test_borders_of_capture_sets_are_moved_by_key(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    lumas, sets = captures([7] * 8, False)
    source = source_of(lumas, RATE, "captures")
    window: Window = new_window(write_video(tmp_path / "c.mkv", [source.frame(n) for n in range(len(source))]))
    session, bench, table = window.session, window.bench, window.bench.table
    window.do("border_on")
    assert "select its card first" in window.messages.text
    session.add_step("pick")
    session.view_from(0)
    session.go(23)
    settle(qtbot, window)
    assert "Capture 3 of 7 of film frame 3 (captures 21 to 27)" in bench.path.card(1)._facts.text()

    def groups() -> list[range]:
        return list(session.chain.view_points[1].timing.groups)

    assert groups() == sets
    qtbot.keyClick(table, Qt.Key.Key_F, Qt.KeyboardModifier.AltModifier)
    settle(qtbot, window)
    assert groups()[2:4] == [range(14, 22), range(22, 28)]
    assert session.place.frame == 22
    qtbot.keyClick(table, Qt.Key.Key_D, Qt.KeyboardModifier.AltModifier)
    settle(qtbot, window)
    assert groups() == sets
    session.go(31)
    qtbot.keyClick(table, Qt.Key.Key_I, Qt.KeyboardModifier.AltModifier)
    settle(qtbot, window)
    assert groups()[4:6] == [range(28, 31), range(31, 35)]
    qtbot.keyClick(table, Qt.Key.Key_I, Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ShiftModifier)
    settle(qtbot, window)
    assert groups() == sets
    session.view_from(1)
    settle(qtbot, window)
    here = session.output
    qtbot.keyClick(table, Qt.Key.Key_F)
    settle(qtbot, window)
    assert (table.look.output, bench.strip.caption(here + 1)[0]) == (here + 1, str(here + 1))
    session.undo()
    settle(qtbot, window)
    assert len(groups()) == 9


def test_what_a_step_learned_is_kept_with_the_job(qtbot: QtBot, new_window, stutter: Path, monkeypatch) -> None:
    window: Window = new_window(stutter)
    window.session.add_step("repeats")
    settle(qtbot, window)
    job = window.session.job_file.path
    window.close()

    def never(*_given: object) -> None:
        raise AssertionError("studied again")

    monkeypatch.setattr("grevin.core.steps.repeats.step.changes_of", never)
    again: Window = new_window(job)
    settle(qtbot, again)
    assert len(again.session.chain.timeline) == 40


def test_tie_lines_are_taken_out_on_the_card_and_evidence_is_not_judged(qtbot: QtBot, bar_window: Window) -> None:
    session, bench = bar_window.session, bar_window.bench
    lines = [
        {"keys": [{"frame": n, "line": [BAR[n] + 4, 60, BAR[n] + 4, 180]} for n in pair]} for pair in ((2, 4), (1, 5))
    ]
    session.change_settings(1, {"ties": tuple(lines)})
    settle(qtbot, bar_window)
    first, _ = bench.path.card(1).findChildren(QToolButton, "remove_drawn")
    first.click()
    settle(qtbot, bar_window)
    assert [[key.frame for key in tie.keys] for tie in ties(bar_window)] == [[1, 5]]
    qtbot.keyClick(bench.table, Qt.Key.Key_V)
    settle(qtbot, bar_window)
    assert bench.table.look.evidence is not None
    before = list(session.verdicts)
    qtbot.mouseClick(bench.table, Qt.MouseButton.LeftButton, pos=on_picture(bar_window, (160, 120)))
    settle(qtbot, bar_window)
    assert list(session.verdicts) == before, "what shows how a frame was made has no pieces to leave or mend"
    qtbot.keyClick(bench.table, Qt.Key.Key_P)
    settle(qtbot, bar_window)
    assert bench.trying.on
