"""Parts of the window on their own: given values, they draw them and say what the person did."""

from __future__ import annotations

import threading
from fractions import Fraction
from pathlib import Path
from typing import Literal

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QObject, QPoint, QPointF, Qt, QUrl, Signal
from PySide6.QtGui import QColor, QDragEnterEvent, QDropEvent, QImage, QWheelEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QSpinBox, QTextBrowser, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from grevin.core.errors import CancelledError, UsageError
from grevin.core.measure.area import Reading
from grevin.core.picture.display import to_screen
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress, ProgressReport
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.settings import Settings, setting
from grevin.core.survey.lanes import Lanes
from grevin.core.timebase.counters import Counter
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.desktop.light_table.drawing import Drawing
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.view import View
from grevin.desktop.message_bar import MessageBar
from grevin.desktop.neighbour_strip.strip import NeighbourStrip
from grevin.desktop.places.looking_bar import LookingBar
from grevin.desktop.places.time_bar import TimeBar
from grevin.desktop.reel_column.column import HEAD, ReelColumn
from grevin.desktop.style import look as style
from grevin.desktop.treatment_path.path import TreatmentPath
from grevin.desktop.treatment_path.settings_form import SettingsForm
from grevin.desktop.work.looks import Look, Ways
from grevin.desktop.work.workers import LatestWorker, Request, Task
from tests.desktop.conftest import WAIT_MS, settle

pytestmark = pytest.mark.gui


class _Sample(Settings):
    """One of each kind."""

    mode: Literal["soft", "hard"] = setting("soft", label="Mode", help="Which way.")
    on: bool = setting(False, label="On", help="Whether.")
    width_px: int = setting(3, label="Width", unit="px", low=1, high=9, help="How wide.")
    share: float = setting(0.5, label="Share", low=0.0, high=1.0, decimals=2, step=0.05, help="How much.")


def pixels(widget: QWidget) -> np.ndarray:
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    return np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)[..., 2::-1].copy()


def has_colour(picture: np.ndarray, colour: QColor) -> np.ndarray:
    return (picture == (colour.red(), colour.green(), colour.blue())).all(axis=-1)


def test_a_form_is_made_from_its_declaration(qtbot: QtBot) -> None:
    form = SettingsForm(_Sample)
    qtbot.addWidget(form)
    told: list[dict[str, object]] = []
    form.changed.connect(told.append)
    form.show_values(_Sample(mode="hard", on=True, width_px=7, share=0.25))
    assert told == [], "set from outside without telling"
    mode, on = form.findChild(QComboBox, "mode"), form.findChild(QCheckBox, "on")
    width, share = form.findChild(QSpinBox, "width_px"), form.findChild(QDoubleSpinBox, "share")
    assert (mode.currentText(), on.isChecked(), width.value(), share.value()) == ("hard", True, 7, 0.25)
    assert (width.minimum(), width.maximum(), width.suffix()) == (1, 9, " px")
    assert (share.decimals(), share.singleStep()) == (2, 0.05)
    assert width.toolTip() == "How wide. (width_px)"
    mode.setCurrentText("soft")
    on.setChecked(False)
    width.setValue(2)
    share.setValue(0.75)
    assert told == [{"mode": "soft"}, {"on": False}, {"width_px": 2}, {"share": 0.75}]


@pytest.mark.qt_log_ignore("not accepted by receiving widget", extend=True)  # a press is enough for these widgets
def test_the_path_shows_steps_and_tells_what_is_wanted(qtbot: QtBot) -> None:
    path = TreatmentPath()
    qtbot.addWidget(path)
    path.resize(288, 600)
    path.show()
    said: list[tuple[object, ...]] = []
    path.step_removed.connect(lambda place: said.append(("remove", place)))
    path.step_switched.connect(lambda place, on: said.append(("switch", place, on)))
    path.step_selected.connect(lambda place: said.append(("select", place)))
    path.view_point_chosen.connect(lambda place: said.append(("look", place)))
    path.settings_changed.connect(lambda place, values: said.append(("set", place, values)))
    treatment = Treatment(steps=(TreatmentStep.make("dirt"), TreatmentStep.make("dirt", {"grow_px": 5})))
    path.show_treatment(treatment, 2, 1, "words")
    first, second = path.card(1), path.card(2)
    assert not first.findChild(SettingsForm).isVisibleTo(first)
    assert second.findChild(SettingsForm).isVisibleTo(second)
    assert second.findChild(QSpinBox, "grow_px").value() == 5
    second.findChild(QSpinBox, "grow_px").setValue(6)
    first.findChild(QCheckBox, "acts").setChecked(False)
    first.findChild(QToolButton, "remove").click()
    qtbot.mouseClick(first, Qt.MouseButton.LeftButton, pos=QPoint(30, 10))
    qtbot.mouseClick(path._rails[2], Qt.MouseButton.LeftButton)
    assert said == [("set", 2, {"grow_px": 6}), ("switch", 1, False), ("remove", 1), ("select", 1), ("look", 2)]
    kept = path.card(2)
    path.show_treatment(treatment, 1, 0, "words")
    assert path.card(2) is kept, "cards stay while the list of steps is the same"
    path.show_facts(1, "seven")
    path.show_facts(9, "nobody")


def test_type_grows_with_the_desktops_and_lines_get_stronger_where_that_is_asked_for(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    assert [style.type_size(points) for points in (9, 11, 16, 22)] == [9, 9, 13, 18]
    for name in ("TEXT", "QUIET", "LINE", "SURFACE", "CARD"):
        monkeypatch.setattr(style, name, getattr(style, name))  # put back at the end
    before = style.LINE.lightness() - style.SURFACE.lightness()
    sheet = style.strengthen("a { color: #dedede; background: #3a3a3a; }")
    assert sheet == "a { color: #ffffff; background: #1c1c1c; }"
    assert style.LINE.lightness() - style.SURFACE.lightness() > 2 * before


class Working(QObject):
    progressed = Signal(object)


def test_the_message_bar(qtbot: QtBot) -> None:
    bar = MessageBar()
    qtbot.addWidget(bar)
    bar.show()
    bar.say("Fine.")
    assert bar.text == "Fine."
    bar.say_fault(UsageError("That went wrong.", "Do this."))
    assert bar.text == "That went wrong. Do this."
    assert bar.property("kind") == "fault"
    bar.say_fault(ZeroDivisionError("odd"))
    assert "Internal error (ZeroDivisionError: odd)" in bar.text
    bar.say("Opening the next one.")
    assert "ZeroDivisionError" in bar.fault, "a fault stays until it is put away"
    bar._away.click()
    assert (bar.fault, bar.text) == ("", "Opening the next one.")
    bar.list_faults()
    listed = bar._list.findChild(QTextBrowser).toPlainText()
    assert listed.index("ZeroDivisionError") < listed.index("That went wrong."), "all are listed, the last one first"
    bar._list.close()


def test_works_that_run_together_have_a_cancel_each(qtbot: QtBot) -> None:
    bar, one, other, stopped = MessageBar(), Working(), Working(), []
    qtbot.addWidget(bar)
    bar.show()
    bar.follow("index", one.progressed, lambda: stopped.append("index"))
    bar.follow("study", other.progressed, lambda: stopped.append("study"))
    one.progressed.emit(ProgressReport(3, 10, "Indexing", 2.0))
    other.progressed.emit(ProgressReport(1, 4, "Studying", 0.5))
    assert bar.works["index"].bar.format() == "Indexing 3/10, 5 s left"
    qtbot.mouseClick(bar.works["study"].stop, Qt.MouseButton.LeftButton)
    assert stopped == ["study"]
    other.progressed.emit(None)
    assert [work.isVisible() for work in bar.works.values()] == [True, False]


def test_the_column_draws_its_lanes(qtbot: QtBot) -> None:
    column = ReelColumn()
    qtbot.addWidget(column)
    column.resize(column.width(), 434)
    column.show()
    lanes = Lanes(100)
    column.show_lanes(100, lanes, lambda frame: 50 <= frame < 60)
    x = column.width() - 8
    ready = has_colour(pixels(column), style.ACCENT)
    rows = np.nonzero(ready[HEAD + 20 :, x : x + 5].any(axis=1))[0] + HEAD + 20  # above it: the current frame
    assert rows.min() == pytest.approx(HEAD + 200, abs=5)
    assert rows.max() == pytest.approx(HEAD + 240, abs=5)
    assert not has_colour(pixels(column), style.DAMAGE).any()
    lanes.curve("dirt_found")[20:30] = 15
    lanes.curve("level_luma_mean")[:] = 100
    lanes.cut[70] = True
    column.refresh()
    picture = pixels(column)
    dirty = np.nonzero(has_colour(picture, style.DAMAGE).any(axis=1))[0]
    assert dirty.min() == pytest.approx(HEAD + 80, abs=4)
    assert dirty.max() == pytest.approx(HEAD + 120, abs=4)
    assert has_colour(picture, style.TEXT)[HEAD + 280 - 4 : HEAD + 280 + 4].any()
    assert column._words(25) == "frame 25, level 100 of 255, 15 specks of dirt, lines not looked for yet"
    assert "ready to be played" in column._words(55)
    assert "dirt not looked for yet" in column._words(5)
    with qtbot.waitSignal(column.frame_chosen) as chosen:
        qtbot.mouseClick(column, Qt.MouseButton.LeftButton, pos=QPoint(60, HEAD + 202))
    assert chosen.args == [50]
    qtbot.mouseMove(column, QPoint(60, HEAD + 100))


def look_of(level: int, evidence: Evidence | None = None, aspect: Fraction = Fraction(1)) -> Look:
    fmt = PictureFormat(80, 60, "grey", 8, full_range=True, pixel_aspect=aspect)
    source = Frame(3, fmt, (np.full((60, 80), level, np.uint8),))
    frame = Frame(3, fmt, (np.full((60, 80), level + 40, np.uint8),))
    return Look(3, 1, source, frame, to_screen(source), to_screen(frame), None, evidence, None)


def test_the_light_table_draws_evidence_in_place_and_only_when_asked(qtbot: QtBot) -> None:
    table = LightTable()
    qtbot.addWidget(table)
    table.resize(640, 480)
    table.show()
    mask = np.zeros((60, 80), np.bool_)
    mask[30:40, 50:60] = True
    table.show_look(look_of(60, Evidence(mask, None, (Blob((50, 30, 10, 10), 100, 9.0, 1.0),))))
    violet = QColor(*style.EVIDENCE)
    assert not has_colour(pixels(table), violet).any()
    table.show_ways(Ways(), Drawing(evidence="hatch"))
    rows, columns = np.nonzero(has_colour(pixels(table), violet))
    assert rows.min() == pytest.approx(240, abs=8)
    assert rows.max() == pytest.approx(320, abs=8)
    assert columns.min() == pytest.approx(400, abs=8)
    assert columns.max() == pytest.approx(480, abs=8)
    table.show_view(View(16.0, 55 / 80, 35 / 60))
    rows, columns = np.nonzero(has_colour(pixels(table), violet))
    assert rows.min() == pytest.approx(160, abs=8)
    assert columns.min() == pytest.approx(240, abs=8)
    table.show_ways(Ways(), Drawing(evidence="hatch", before=True))
    table.show_waiting(True)
    assert (pixels(table)[400, 100] == 60).all()
    table.show_look(look_of(60, aspect=Fraction(2)))
    assert table.size_of_picture() == (160.0, 60.0)


def test_the_wheel_zooms_at_the_pointer(qtbot: QtBot) -> None:
    table = LightTable()
    qtbot.addWidget(table)
    table.resize(640, 480)
    table.show()
    table.show_look(look_of(60))
    assert table.scale() == 8.0
    for turn, scale in ((-120, 6.0), (-120, 4.0), (120, 6.0)):
        place = QPointF(100, 100)
        event = QWheelEvent(
            place, place, QPoint(0, 0), QPoint(0, turn), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        table.wheelEvent(event)
        assert table.scale() == scale
    qtbot.mouseDClick(table, Qt.MouseButton.LeftButton, pos=QPoint(320, 240))
    assert table.view.zoom == 0
    qtbot.mouseDClick(table, Qt.MouseButton.LeftButton, pos=QPoint(320, 240))
    assert table.scale() == 1.0


def test_the_strip_keeps_only_what_is_near(qtbot: QtBot) -> None:
    strip = NeighbourStrip()
    qtbot.addWidget(strip)
    strip.resize(800, strip.height())
    strip.show()
    strip.show_place(5, range(9), 1.0)
    for frame in range(2, 9):
        strip.show_picture(frame, look_of(20 * frame).before)
    strip.show_place(7, range(9), 1.0)
    assert [frame for frame in range(12) if strip.shown(frame)] == [4, 5, 6, 7, 8]
    assert (pixels(strip)[50, 400] == 140).all()
    chosen: list[int] = []
    strip.frame_chosen.connect(chosen.append)
    for place in (0, 6):
        qtbot.mouseClick(strip, Qt.MouseButton.LeftButton, pos=strip._cell(place).center().toPoint())
    assert chosen == [4], "there is no frame 10 to go to"
    strip.forget()
    assert not strip.shown(7)


def test_the_looking_bar_shows_without_telling(qtbot: QtBot) -> None:
    bar = LookingBar()
    qtbot.addWidget(bar)
    told: list[object] = []
    bar.acted.connect(told.append)
    bar.held.connect(lambda on: told.append(("before", on)))
    bar.ways_wanted.connect(told.append)
    bar.colour_wanted.connect(told.append)
    bar.show_ways(Ways("luma", "taken", 16.0), Drawing(evidence="mask"))
    bar.show_toggle("scopes", True)
    bar.show_zoom(0.0, 0.5)
    assert told == []
    assert bar._zoom.currentText() == "fit (50%)"
    assert bar.findChild(QDoubleSpinBox, "gain").isVisibleTo(bar)
    assert bar.findChild(QComboBox, "channel").currentText() == "luma"
    bar._buttons["evidence"].click()
    bar._buttons["before"].pressed.emit()
    bar._buttons["before"].released.emit()
    bar.findChild(QDoubleSpinBox, "gain").setValue(4)
    compare = bar.findChild(QComboBox, "compare")
    compare.activated.emit(compare.findData("side"))
    bar._buttons["evidence"].menu().actions()[-1].trigger()
    assert told == [
        "evidence",
        ("before", True),
        ("before", False),
        {"gain": 4.0},
        {"compare": "side"},
        (204, 121, 167),
    ]
    bar.show_ways(Ways(), Drawing())
    assert not bar.findChild(QDoubleSpinBox, "gain").isVisibleTo(bar)


def test_the_time_bar_counts_and_refuses_what_is_no_frame(qtbot: QtBot) -> None:
    bar = TimeBar()
    qtbot.addWidget(bar)
    told: list[object] = []
    bar.frame_typed.connect(told.append)
    bar.acted.connect(told.append)
    bar.faulted.connect(lambda fault: told.append(fault.what))
    counter = Counter("timecode", Fraction(25), "10:00:00:00")
    bar.show_place(30, range(100), counter, False)
    bar.show_playing(True)
    bar.show_loop(range(5, 26), counter)
    assert bar.frame_field.text() == "10:00:01:05"
    assert bar._loop.text() == "loop 10:00:00:05 to 10:00:01:00"
    for typed in ("12", "10:00:02:00", "soon"):
        bar.frame_field.setText(typed)
        qtbot.keyClick(bar.frame_field, Qt.Key.Key_Return)
    bar._buttons["play"].click()
    bar._loop.click()
    assert told == [12, 50, "“soon” is not a frame.", "play", "loop_all"]
    bar.show_probe((3, 4), (Reading("Y'", 126.0, 0.0, 126.0, 126.0, 50.2283),))
    assert bar._probe.text() == "x 3 y 4  Y' 126 (50 %)"
    bar.show_probe(None, ())
    assert bar._probe.text() == ""


def test_the_newest_request_wins(qtbot: QtBot) -> None:
    worker = LatestWorker("test")
    gate, made = threading.Event(), []
    worker.done.connect(lambda tag, result: made.append((tag, result)))
    faults: list[object] = []
    worker.failed.connect(lambda tag, fault: faults.append((tag, type(fault))))
    worker.ask(Request("slow", lambda: gate.wait(WAIT_MS / 1000)))
    qtbot.waitUntil(lambda: not worker._waiting, timeout=WAIT_MS)
    worker.ask(Request("old", lambda: 1), Request("older", lambda: 2))
    worker.ask(Request("new", lambda: 3), Request("broken", lambda: 1 // 0))
    gate.set()
    qtbot.waitUntil(lambda: bool(faults), timeout=WAIT_MS)
    assert made == [("slow", True), ("new", 3)]
    assert faults == [("broken", ZeroDivisionError)]
    worker.stop()


def test_a_task_reports_cancels_and_fails(qtbot: QtBot) -> None:
    def count(progress: Progress) -> int:
        progress.begin(1000, "Counting")
        for _ in range(1000):
            progress.advance()
            threading.Event().wait(0.01)
        return 1000

    task = Task(count, "test")
    reports: list[ProgressReport] = []
    task.progressed.connect(reports.append)
    task.start()
    qtbot.waitUntil(lambda: len(reports) >= 2, timeout=WAIT_MS)
    faults: list[Exception] = []
    task.failed.connect(faults.append)
    with qtbot.waitSignal(task.finished, timeout=WAIT_MS):
        task.cancel()
    assert [type(fault) for fault in faults] == [CancelledError]
    task.wait()


def test_material_is_dropped_onto_the_window(qtbot: QtBot, new_window, dirty_reel: Path) -> None:
    window = new_window(None)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(dirty_reel))])
    actions, button, key = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    window.dragEnterEvent(QDragEnterEvent(QPoint(9, 9), actions, data, button, key))
    window.dropEvent(QDropEvent(QPointF(9, 9), actions, data, button, key))
    settle(qtbot, window)
    assert window.session.length == 12


def test_a_job_finds_a_reel_that_moved_with_it(qtbot: QtBot, new_window, dirty_reel: Path, tmp_path: Path) -> None:
    window = new_window(dirty_reel)
    window.save_copy(tmp_path / "job.grevin")
    settle(qtbot, window)
    window.close()
    moved = tmp_path / "moved"
    moved.mkdir()
    for name in (dirty_reel.name, "job.grevin"):
        (tmp_path / name).rename(moved / name)
    again = new_window(moved / "job.grevin")
    assert again.session.length == 12
    qtbot.waitUntil(lambda: not again.taking_in.busy, timeout=WAIT_MS)
    assert again.taking_in.lanes is not None
    assert again.taking_in.lanes.complete
