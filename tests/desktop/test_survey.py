"""The Survey place as a person uses it: surveying, findings by key, shots, marks, the report."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication, QPushButton, QToolButton
from pytestqt.qtbot import QtBot

from grevin.core.job.job_file import JobFile
from grevin.core.job.marks import Mark
from grevin.core.media.opening import open_reel
from grevin.core.steps.proposing import Suggestion
from grevin.core.survey.findings import SurveyFinding
from grevin.core.survey.lanes import Lanes
from grevin.core.treatment.regions import Region
from grevin.desktop.reel_column.column import ReelColumn
from grevin.desktop.reel_column.stretch import Stretch
from grevin.desktop.survey.chart import SurveyChart
from grevin.desktop.window import Window
from tests.conftest import moving_frames, write_video
from tests.desktop.conftest import WAIT_MS, settle

pytestmark = pytest.mark.gui

ALT = Qt.KeyboardModifier.AltModifier


def press(qtbot: QtBot, window: Window, key: Qt.Key, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    qtbot.keyClick(window.survey.table, key, modifiers)
    rest(qtbot, window)


def rest(qtbot: QtBot, window: Window) -> None:
    settle(qtbot, window)
    for _ in range(2):  # what is done is told a moment after the thread is idle
        qtbot.waitUntil(lambda: not window.survey.busy, timeout=WAIT_MS)
        qtbot.wait(30)


def button(window: Window, name: str) -> QPushButton:
    found = window.survey.findChild(QPushButton, name)
    assert found is not None
    return found


@pytest.fixture
def place(qtbot: QtBot, window: Window) -> Window:
    """A window on the Survey of a dirty reel, everything taken in."""
    press(qtbot, window, Qt.Key.Key_F3)
    assert window.survey.isVisible()
    qtbot.waitUntil(lambda: not window.taking_in.busy, timeout=WAIT_MS)
    return window


@pytest.fixture
def surveyed(qtbot: QtBot, place: Window) -> Window:
    """The same, surveyed by key."""
    press(qtbot, place, Qt.Key.Key_S, ALT)
    qtbot.waitUntil(lambda: place.surveying.survey is not None, timeout=WAIT_MS)
    rest(qtbot, place)
    return place


def test_a_survey_fills_chart_column_and_findings(qtbot: QtBot, surveyed: Window) -> None:
    survey, lanes = surveyed.surveying.survey, surveyed.taking_in.lanes
    assert survey is not None
    assert lanes is not None
    assert len(survey.spots) > 10
    assert lanes.value("dirt_count", 5) == survey.series["dirt_count"][5] > 0
    panel = surveyed.survey.findings
    assert panel.model.rowCount() == len(survey.spots)
    assert panel.kind.itemText(1) == f"dirt ({len(survey.spots)})"
    assert surveyed.survey.state.text() == "Surveyed: 12 frames."
    assert "specks" in surveyed.column._words(5)
    assert "Dirt:" in surveyed.survey.condition.words.text()
    assert "dirt:" in surveyed.survey.shots.words.text()
    index = panel.model.index(0, 0)
    qtbot.waitUntil(lambda: panel.model.data(index, Qt.ItemDataRole.DecorationRole) is not None, timeout=WAIT_MS)


def test_findings_are_gone_through_by_key_and_verdicts_hold(qtbot: QtBot, surveyed: Window, tmp_path: Path) -> None:
    session, panel = surveyed.session, surveyed.survey.findings
    session.add_step("dirt")
    rest(qtbot, surveyed)
    press(qtbot, surveyed, Qt.Key.Key_Period)
    first = panel.present()
    assert first is not None
    assert session.place.frame == first.first
    press(qtbot, surveyed, Qt.Key.Key_Backspace)
    second = panel.present()
    assert second is not None
    assert second.id != first.id, "on to the next after a verdict"
    press(qtbot, surveyed, Qt.Key.Key_Y)
    press(qtbot, surveyed, Qt.Key.Key_Comma)
    press(qtbot, surveyed, Qt.Key.Key_Comma)
    assert panel.model.finding(0).verdict == "leave"
    assert panel.model.finding(1).verdict == "mend"
    evidence = session.chain.evidence_at(1, first.first)
    x, y = first.area[0] + first.area[2] // 2, first.area[1] + first.area[3] // 2
    assert not evidence.mask[y, x], "what is left alone is not mended any more"
    press(qtbot, surveyed, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert panel.model.finding(1).verdict == "undecided"
    press(qtbot, surveyed, Qt.Key.Key_U)
    assert panel.model.finding(0).verdict == "undecided"
    panel.verdict.setCurrentIndex(panel.verdict.findData("leave"))
    rest(qtbot, surveyed)
    assert panel.model.rowCount() == 0
    assert panel.count.text() == "nothing of that kind"


def test_filters_and_order(qtbot: QtBot, surveyed: Window) -> None:
    panel = surveyed.survey.findings
    count = panel.model.rowCount()
    panel.least.setValue(0.9)
    rest(qtbot, surveyed)
    assert 0 < panel.model.rowCount() < count
    panel.least.setValue(0.0)
    panel.view.horizontalHeader().setSortIndicator(3, Qt.SortOrder.AscendingOrder)
    rest(qtbot, surveyed)
    sure = [panel.model.finding(row).confidence for row in range(count)]
    assert sure == sorted(sure)
    press(qtbot, surveyed, Qt.Key.Key_Period)
    assert panel.view.selectionModel().currentIndex().row() == 0


def test_many_findings_are_fetched_by_need(qtbot: QtBot, place: Window) -> None:
    session = place.session
    many = (SurveyFinding("dirt", n % 12, n % 12, 0.5, {}, (n, n // 7, 4, 4)) for n in range(120_000))
    JobFile.put_findings(session.job_file.path, session.entry.id, "survey", many)
    session.findings_changed.emit()
    rest(qtbot, place)
    panel = place.survey.findings
    assert panel.model.rowCount() == 120_000
    assert len(panel.model._rows) <= 400, "rows are fetched when they come into sight"
    panel.view.scrollToBottom()
    rest(qtbot, place)
    assert panel.model.finding(119_999).first == 11
    press(qtbot, place, Qt.Key.Key_Period)
    assert panel.present() is not None


def test_shots_are_divided_named_and_treated_one_by_one(qtbot: QtBot, place: Window) -> None:
    session, panel = place.session, place.survey.shots
    session.go(6)
    press(qtbot, place, Qt.Key.Key_I, Qt.KeyboardModifier.ControlModifier)
    assert [shot.first for shot in session.entry.shots] == [0, 6]
    place.survey.findChild(QToolButton, "page_shots").click()
    panel.table.topLevelItem(1).setText(2, "the pier")
    assert session.entry.shots[1].name == "the pier"
    assert session.parts.title(1) == "shot 2 of 2: the pier"
    panel.table.topLevelItem(1).setSelected(True)
    button(place, "do_own_treatment").click()
    session.add_step("dirt")
    rest(qtbot, place)
    assert session.entry.treatment.steps == (), "the reel's own treatment is as it was"
    assert [step.step for step in session.entry.shots[1].treatment.steps] == ["dirt"]
    assert place.bench.path.card(1) is not None
    assert "shot 2 of 2: the pier alone" in place.bench.path._source_words.text()
    assert panel.table.topLevelItem(1).text(4) == "own: dirt"
    session.go(2)
    rest(qtbot, place)
    assert session.treatment.steps == ()
    assert session.place.view_point == 0
    session.go(8)
    rest(qtbot, place)
    button(place, "do_copy_to_all").click()
    assert all(shot.treatment is not None and shot.treatment.steps for shot in session.entry.shots)
    press(qtbot, place, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.entry.shots[0].treatment is None
    press(qtbot, place, Qt.Key.Key_I, Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier)
    assert [shot.first for shot in session.entry.shots] == [0]


def test_an_accepted_proposal_becomes_a_treatment(qtbot: QtBot, surveyed: Window) -> None:
    surveyed.survey.findChild(QToolButton, "page_shots").click()
    assert surveyed.session.treatment.steps == (), "nothing is applied by itself"
    button(surveyed, "do_accept").click()
    rest(qtbot, surveyed)
    assert [step.step for step in surveyed.session.treatment.steps] == ["dirt"]
    button(surveyed, "do_accept").click()
    assert "Nothing is proposed" in surveyed.messages.text
    button(surveyed, "do_follow_reel").click()
    assert surveyed.session.treatment.steps == ()


def test_an_accepted_proposal_brings_its_circles(qtbot: QtBot, place: Window) -> None:
    circle = {"use": "only", "shape": "ellipse", "x": 20, "y": 12, "width": 9, "height": 8}
    place.session.parts.accept({0: [Suggestion("spot", "1 mark stands", regions=(circle,))]})
    (step,) = place.session.treatment.steps
    assert step.regions == (Region(**circle),)
    press(qtbot, place, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert place.session.treatment.steps == ()
    place.session.add_step("spot")
    rest(qtbot, place)
    qtbot.waitUntil(lambda: "Draw a region" in place.bench.path.card(1)._facts.text(), timeout=WAIT_MS)
    place.do("circle_marks")
    assert place.messages.text == "No mark was found that stands while the picture moves on."


def test_an_output_follows_the_shots(qtbot: QtBot, place: Window, dirty_reel: Path, tmp_path: Path) -> None:
    session = place.session
    session.go(6)
    press(qtbot, place, Qt.Key.Key_I, Qt.KeyboardModifier.ControlModifier)
    session.parts.give_own([1])
    session.add_step("dirt")
    output = place.output
    output.path.setText(str(tmp_path / "o.mkv"))
    output.start()
    qtbot.waitUntil(lambda: not output.writing, timeout=WAIT_MS)
    assert output.result.text().startswith("Proved.")
    assert "2 different treatments" in output._treated.text()
    written, source = open_reel(tmp_path / "o.mkv"), open_reel(dirty_reel)
    np.testing.assert_array_equal(written.frame(3).planes[0], source.frame(3).planes[0])
    assert any(not np.array_equal(written.frame(n).planes[0], source.frame(n).planes[0]) for n in range(6, 12))


def test_marks_by_key_noted_and_through_a_file(qtbot: QtBot, place: Window, tmp_path: Path) -> None:
    session, panel = place.session, place.survey.marks
    session.go(4)
    press(qtbot, place, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    session.go(9)
    press(qtbot, place, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    panel.table.topLevelItem(0).setText(3, "a hair")
    assert session.entry.marks == (Mark(first=4, last=4, note="a hair"), Mark(first=9, last=9))
    press(qtbot, place, Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
    assert session.place.frame == 4
    assert "a hair" in place.column._words(4)
    panel.write(tmp_path / "m.edl")
    panel.table.selectAll()
    panel.remove()
    assert session.entry.marks == ()
    panel.read(tmp_path / "m.edl")
    assert session.entry.marks[0].note == "a hair"
    assert panel.table.topLevelItemCount() == 2
    (tmp_path / "bad.csv").write_text("first_frame\n700\n")
    panel.read(tmp_path / "bad.csv")
    assert "ends with frame 11" in place.messages.text


def test_a_report_is_written_in_the_background(qtbot: QtBot, surveyed: Window, tmp_path: Path) -> None:
    panel = surveyed.survey.condition
    surveyed.session.add_step("dirt")
    for name, both in (("r.html", False), ("r.json", False), ("both.html", True)):
        panel.write(tmp_path / name, both)
        qtbot.waitUntil(lambda: not panel.task.busy, timeout=WAIT_MS)
        assert (tmp_path / name).exists(), surveyed.messages.text
    assert "before and after treatment" in (tmp_path / "both.html").read_text()
    assert len(json.loads((tmp_path / "r.json").read_text())["findings"]) == len(surveyed.surveying.survey.spots)
    panel.write(tmp_path / "r.doc")
    assert "no name for a report" in surveyed.messages.text


def test_a_survey_waits_goes_on_and_is_stopped(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    source = moving_frames(12, 320, 240)
    path = write_video(tmp_path / "long.mkv", [source.frame(n % 12) for n in range(120)])
    window = new_window(path)
    qtbot.waitUntil(lambda: not window.taking_in.busy, timeout=WAIT_MS)
    press(qtbot, window, Qt.Key.Key_F3)
    press(qtbot, window, Qt.Key.Key_S, ALT)
    qtbot.waitUntil(lambda: window.surveying.report is not None and window.surveying.report.done > 3, timeout=WAIT_MS)
    button(window, "do_pause").click()
    held = -1
    while window.surveying.report.done != held:  # what was in work is finished
        held = window.surveying.report.done
        qtbot.wait(1500)
    assert held < 60
    assert window.survey.state.text().startswith("Paused")
    assert button(window, "do_pause").text() == "Go on"
    button(window, "do_halt").click()
    qtbot.waitUntil(lambda: not window.surveying.running, timeout=WAIT_MS)
    assert "was stopped" in window.messages.text
    press(qtbot, window, Qt.Key.Key_S, ALT)
    qtbot.waitUntil(lambda: window.surveying.survey is not None, timeout=WAIT_MS)
    assert len(window.surveying.survey.frames) == 120


SURVEYING = """
import sys
from pathlib import Path
from PySide6.QtCore import QSettings, QTimer
from grevin.desktop.main import make_application
from grevin.desktop.window import Window

app = make_application()
window = Window(QSettings(sys.argv[2], QSettings.Format.IniFormat))
window.show()

def work():
    if window.taking_in.busy:
        QTimer.singleShot(100, work)
        return
    window.do("survey")
    window.surveying.progressed.connect(tell)

ten_done = []

def tell(report):
    if report.done >= 10:
        ten_done.append(report.seconds)
    if ten_done and report.seconds > ten_done[0] + 1.5:  # what is measured is written down every second
        print(window.session.job_file.path, flush=True)

window.session.reel_opened.connect(lambda: QTimer.singleShot(100, work))
window.open(Path(sys.argv[1]))
app.exec()
"""


@pytest.mark.slow
def test_a_killed_survey_goes_on(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    source = moving_frames(12, 640, 480)
    path = write_video(tmp_path / "long.mkv", [source.frame(n % 12) for n in range(80)])
    worker = subprocess.Popen(
        [sys.executable, "-c", SURVEYING, str(path), str(tmp_path / "s.ini")], stdout=subprocess.PIPE, text=True
    )
    assert worker.stdout is not None
    job = Path(worker.stdout.readline().strip())
    os.kill(worker.pid, signal.SIGKILL)
    worker.wait()
    worker.stdout.close()
    window = new_window(job)
    qtbot.waitUntil(lambda: not window.taking_in.busy, timeout=WAIT_MS)
    window.do("survey")
    qtbot.waitUntil(lambda: window.surveying.report is not None and window.surveying.report.done > 0, timeout=WAIT_MS)
    assert window.surveying.report.done >= 10, "what was measured before the kill counts"
    qtbot.waitUntil(lambda: window.surveying.survey is not None, timeout=WAIT_MS)
    assert not np.isnan(window.surveying.survey.series["noise"]).any()


def test_a_kept_survey_is_there_again(qtbot: QtBot, surveyed: Window, new_window, dirty_reel: Path) -> None:
    job, count = surveyed.session.job_file.path, len(surveyed.surveying.survey.spots)
    surveyed.close()
    again = new_window(job)
    qtbot.waitUntil(lambda: again.surveying.survey is not None, timeout=WAIT_MS)
    assert len(again.surveying.survey.spots) == count
    assert again.survey.findings._kinds == {"dirt": count}


def wheel(widget, place: QPointF, notches: int, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    event = QWheelEvent(
        place, widget.mapToGlobal(place), QPoint(), QPoint(0, 120 * notches), Qt.MouseButton.NoButton, modifiers,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


@pytest.mark.parametrize("kind", [ReelColumn, SurveyChart])
def test_charts_of_long_reels_zoom_from_the_whole_to_frames(qtbot: QtBot, kind) -> None:
    chart = kind()
    qtbot.addWidget(chart)
    chart.resize(900, 600) if kind is SurveyChart else chart.resize(chart.width(), 600)
    chart.show()
    lanes = Lanes(200_000)
    lanes.curve("level_luma_mean")[:] = 90
    chart.show_lanes(200_000, lanes, lambda _frame: False) if kind is ReelColumn else chart.show_lanes(200_000, lanes)
    middle = QPointF(chart.width() * 0.6, chart.height() * 0.5)
    along = middle.x() if kind is SurveyChart else middle.y()
    frame = chart.frame_at(along)
    for _ in range(60):
        wheel(chart, middle, 1)
    assert len(chart.stretch.frames) in {24, 25}
    assert frame in chart.stretch.frames
    with qtbot.waitSignal(chart.frame_chosen) as chosen:
        qtbot.mouseClick(chart, Qt.MouseButton.LeftButton, pos=middle.toPoint())
    assert abs(chosen.args[0] - frame) <= 24
    chart.show_frame(150_000)
    assert 150_000 in chart.stretch.frames, "what is shown follows the present frame"
    qtbot.mouseDClick(chart, Qt.MouseButton.LeftButton, pos=middle.toPoint())
    assert chart.stretch == Stretch.whole(200_000)
    chart.grab()


def test_a_stretch_stays_inside_its_reel() -> None:
    whole = Stretch.whole(1000)
    assert whole.zoomed(0.5, 3).frames.start > 0
    assert whole.zoomed(0.0, 3).first == 0
    assert whole.moved(5) == whole
    close = whole.at(990, 100)
    assert (close.first, close.stop) == (900, 1000)
    assert close.holding(950, 0.1) == close
    assert close.holding(300, 0.1).first == pytest.approx(290)
    starts, stops = Stretch.whole(7).runs(20)
    assert starts.min() == 0
    assert stops.max() == 7
    assert (stops > starts).all()
