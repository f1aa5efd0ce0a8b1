"""Verdicts by click and key, stepping through what is doubtful, regions out of a box."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QComboBox, QPushButton, QToolButton
from pytestqt.qtbot import QtBot

from grevin.core.picture.geometry import Area
from grevin.core.steps.evidence import Evidence
from grevin.desktop.window import Window
from tests.desktop.conftest import settle

pytestmark = pytest.mark.gui
FRAME = 5


def press(qtbot: QtBot, window: Window, key: Qt.Key, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    qtbot.keyClick(window.bench.table, key, modifiers)
    settle(qtbot, window)


def evidence(window: Window) -> Evidence:
    look = window.bench.table.look
    assert look is not None
    assert look.evidence is not None
    return look.evidence


def middle_of(window: Window, area: Area) -> QPoint:
    """Where the middle of an area of the picture lies on the light table."""
    table = window.bench.table
    left, top = table.view.origin(table.size_of_picture(), table.table())
    scale = table.scale()
    return QPoint(
        round(left + (area[0] + area[2] / 2) * scale * table.aspect()), round(top + (area[1] + area[3] / 2) * scale)
    )


def click(qtbot: QtBot, window: Window, spot: QPoint) -> None:
    qtbot.mouseMove(window.bench.table, spot)
    qtbot.mouseClick(window.bench.table, Qt.MouseButton.LeftButton, pos=spot)
    settle(qtbot, window)


@pytest.fixture
def shown(qtbot: QtBot, window: Window) -> Window:
    """A treated reel at a frame with dirt, evidence shown."""
    window.session.add_step("dirt")
    window.session.go(FRAME)
    settle(qtbot, window)
    press(qtbot, window, Qt.Key.Key_V)
    assert len(evidence(window).blobs) >= 2
    return window


def test_a_click_leaves_a_speck_and_undo_brings_it_back(qtbot: QtBot, shown: Window) -> None:
    session, table = shown.session, shown.bench.table
    before = evidence(shown)
    blob = max(before.blobs, key=lambda b: b.pixels)
    lanes = shown.taking_in.lanes
    assert lanes is not None
    lanes.curve("dirt_found")[FRAME + 2] = 7
    assert table.look is not None
    treated = table.look.frame.planes[0].copy()
    click(qtbot, shown, middle_of(shown, blob.area))
    after = evidence(shown)
    assert lanes.value("dirt_found", FRAME) == len(before.blobs) - 1
    assert lanes.value("dirt_found", FRAME + 2) == 7, "a verdict says nothing of other frames"
    assert [left.area for left in after.left] == [blob.area]
    assert len(after.blobs) == len(before.blobs) - 1
    x, y, width, height = blob.area
    place = (slice(y, y + height), slice(x, x + width))
    np.testing.assert_array_equal(table.look.frame.planes[0][place], table.look.source.planes[0][place])
    assert shown.bench.specks.words.startswith("Left alone by your word: ")
    job = session.job_file
    assert job is not None
    assert job.undo_label() == "Leave a place alone"
    press(qtbot, shown, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(evidence(shown).blobs) == len(before.blobs)
    np.testing.assert_array_equal(table.look.frame.planes[0], treated)
    press(qtbot, shown, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert len(evidence(shown).left) == 1
    click(qtbot, shown, middle_of(shown, blob.area))
    assert evidence(shown).left == (), "another click takes the word back"
    assert len(session.verdicts) == 0


def test_a_click_on_nothing_mends_what_was_missed(qtbot: QtBot, shown: Window) -> None:
    mask = evidence(shown).mask
    height, width = mask.shape
    spot = next(
        (x, y, 1, 1)
        for y in range(20, height - 20, 7)
        for x in range(20, width - 20, 7)
        if not mask[y - 14 : y + 14, x - 14 : x + 14].any()
    )
    count = len(evidence(shown).blobs)
    click(qtbot, shown, middle_of(shown, spot))
    assert len(evidence(shown).blobs) == count + 1
    assert evidence(shown).mask[spot[1], spot[0]]
    assert any(blob.by_hand for blob in evidence(shown).blobs)
    qtbot.mouseMove(shown.bench.table, QPoint(2, 2))
    qtbot.mouseMove(shown.bench.table, middle_of(shown, spot))
    settle(qtbot, shown)
    first, second = shown.bench.specks.words.splitlines()
    assert first.startswith("Mended by your word: ")
    assert second.startswith("Filled from frame ")
    press(qtbot, shown, Qt.Key.Key_U)
    assert len(evidence(shown).blobs) == count


def test_without_evidence_a_click_gives_no_verdict_and_a_drag_never_does(qtbot: QtBot, shown: Window) -> None:
    blob = evidence(shown).blobs[0]
    spot = middle_of(shown, blob.area)
    table = shown.bench.table
    qtbot.mousePress(table, Qt.MouseButton.LeftButton, pos=spot)
    qtbot.mouseMove(table, spot + QPoint(30, 10))
    qtbot.mouseRelease(table, Qt.MouseButton.LeftButton, pos=spot + QPoint(30, 10))
    settle(qtbot, shown)
    assert len(shown.session.verdicts) == 0
    press(qtbot, shown, Qt.Key.Key_V)
    click(qtbot, shown, middle_of(shown, blob.area))
    assert len(shown.session.verdicts) == 0


def test_the_doubtful_are_stepped_through_and_decided_by_keys(qtbot: QtBot, shown: Window) -> None:
    session, specks = shown.session, shown.bench.specks
    session.change_settings(1, {"sensitivity": 2.0})
    session.go(0)
    settle(qtbot, shown)
    press(qtbot, shown, Qt.Key.Key_V)
    assert shown.bench.looking.drawing.evidence == "off"
    press(qtbot, shown, Qt.Key.Key_Period)
    assert shown.bench.looking.drawing.evidence == "hatch", "what is stepped through is shown"
    first = (session.place.frame, specks.picked)
    assert first[1] is not None
    assert first[1].doubtful
    press(qtbot, shown, Qt.Key.Key_Backspace)
    assert session.verdicts.word_on("dirt", first[0], first[1].area) == "leave"
    press(qtbot, shown, Qt.Key.Key_Period)
    second = (session.place.frame, specks.picked)
    assert second[1] is not None
    assert second != first
    press(qtbot, shown, Qt.Key.Key_Y)
    assert session.verdicts.word_on("dirt", second[0], second[1].area) == "mend"
    press(qtbot, shown, Qt.Key.Key_Comma)
    assert specks.picked is None or (session.place.frame, specks.picked.area) < (second[0], second[1].area) or (
        "Nothing more" in shown.messages.text
    )  # fmt: skip
    session.go(session.length)
    settle(qtbot, shown)
    specks.point((0, 0))
    for _ in range(30):
        press(qtbot, shown, Qt.Key.Key_Period)
        if "Nothing more is doubtful" in shown.messages.text:
            break
    assert "Nothing more is doubtful" in shown.messages.text


def test_verdicts_come_back_with_the_job_and_go_into_the_output(qtbot: QtBot, shown: Window, new_window) -> None:
    blob = evidence(shown).blobs[0]
    click(qtbot, shown, middle_of(shown, blob.area))
    job = shown.session.job_file
    assert job is not None
    path = job.path
    shown.close()
    again = new_window(path)
    assert len(again.session.verdicts) == 1
    assert [left.area for left in evidence(again).left] == [blob.area]
    again.do("go_output")
    again.output.path.setText(str(path.parent / "left.mkv"))
    again.output.start()
    settle(qtbot, again)
    from grevin.core.media.opening import open_reel

    reel = open_reel(path.parent / "left.mkv")
    x, y, width, height = blob.area
    source = again.session.reel
    assert source is not None
    np.testing.assert_array_equal(
        reel.frame(FRAME).planes[0][y : y + height, x : x + width],
        source.frame(FRAME).planes[0][y : y + height, x : x + width],
    )
    reel.close()


def test_a_box_becomes_a_region_of_the_selected_step(qtbot: QtBot, shown: Window) -> None:
    table, panel, session = shown.bench.table, shown.bench.measuring.panel, shown.session
    start, end = (middle_of(shown, (x, y, 0, 0)) for x, y in ((0, 0), (evidence(shown).mask.shape[1] // 2, 9999)))
    end.setY(table.height() - 5)
    assert evidence(shown).mask[:, : evidence(shown).mask.shape[1] // 2 - 4].any()
    qtbot.mousePress(table, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, start)
    qtbot.mouseMove(table, end)
    qtbot.mouseRelease(table, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, end)
    settle(qtbot, shown)
    run = panel.findChild(QComboBox, "region_run")
    run.setCurrentIndex(1)
    qtbot.mouseClick(panel.findChild(QPushButton, "region_protect"), Qt.MouseButton.LeftButton)
    settle(qtbot, shown)
    (region,) = session.treatment.steps[0].regions
    assert (region.use, region.first, region.last) == ("protect", FRAME, FRAME)
    assert not evidence(shown).mask[:, : region.width - 2].any()
    session.go(FRAME + 1)
    settle(qtbot, shown)
    assert evidence(shown).mask[:, : region.width - 2].any(), "other frames are not protected"
    session.go(FRAME)
    settle(qtbot, shown)
    shown.bench.path.card(1).findChild(QToolButton, "remove_drawn").click()
    settle(qtbot, shown)
    assert session.treatment.steps[0].regions == ()
    assert evidence(shown).mask[:, : region.width - 2].any()
    press(qtbot, shown, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(session.treatment.steps[0].regions) == 1


def test_words_without_anything_to_say_them_on(qtbot: QtBot, window: Window) -> None:
    press(qtbot, window, Qt.Key.Key_Backspace)
    assert "Point at a speck" in window.messages.text
    press(qtbot, window, Qt.Key.Key_Period)
    assert "Select a step first" in window.messages.text
