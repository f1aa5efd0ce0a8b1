"""The treatment path worked by keys and mouse: choosing, moving, doubling, recipes for other reels."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QListWidget, QRadioButton
from pytestqt.qtbot import QtBot

from grevin.desktop.treatment_path.chooser import STEP
from grevin.desktop.window import Window
from tests.conftest import moving_frames, write_video
from tests.desktop.conftest import WAIT_MS, settle

ALT, CTRL, SHIFT = (
    Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier,
)  # fmt: skip


def ids(window: Window) -> list[str]:
    return [step.step for step in window.session.treatment.steps]


def test_a_step_is_chosen_by_what_is_wrong(qtbot: QtBot, window: Window) -> None:
    chooser = window.bench.path.chooser
    QTest.keyClick(window.bench.table, Qt.Key.Key_N)
    assert chooser.isVisible()
    offered = [chooser.steps.item(row).data(STEP) for row in range(chooser.steps.count())]
    assert {"pick", "repeats", "fields", "rebuild", "dirt", "reframe", "sidefill"} <= set(offered)
    QTest.keyClicks(chooser.field, "stutter")
    offered = [chooser.steps.item(row).data(STEP) for row in range(chooser.steps.count())]
    assert offered == [None, "repeats"], "its heading, and the step whose fault was described"
    QTest.keyClick(chooser.field, Qt.Key.Key_A, CTRL)
    QTest.keyClicks(chooser.field, "frame")
    QTest.keyClick(chooser.field, Qt.Key.Key_Down)
    second = chooser.steps.currentItem().data(STEP)
    QTest.keyClick(chooser.field, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert not chooser.isVisible()
    assert ids(window) == [second]
    QTest.keyClick(window.bench.table, Qt.Key.Key_N)
    QTest.keyClick(chooser.field, Qt.Key.Key_Escape)
    assert not chooser.isVisible()
    assert ids(window) == [second]


def test_steps_are_moved_doubled_rested_and_taken_out_by_key(qtbot: QtBot, window: Window) -> None:
    session, table = window.session, window.bench.table
    QTest.keyClick(table, Qt.Key.Key_PageUp, ALT)
    assert "Select a step first" in window.messages.text
    for step in ("dirt", "reframe"):
        session.add_step(step)
    settle(qtbot, window)
    QTest.keyClick(table, Qt.Key.Key_PageUp, ALT)
    settle(qtbot, window)
    assert (ids(window), session.selected) == (["reframe", "dirt"], 1)
    assert "Dirt stands behind Reframe" in window.messages.text
    QTest.keyClick(table, Qt.Key.Key_PageDown, ALT)
    settle(qtbot, window)
    assert (ids(window), session.selected) == (["dirt", "reframe"], 2)
    QTest.keyClick(table, Qt.Key.Key_N, CTRL | SHIFT)
    settle(qtbot, window)
    assert (ids(window), session.selected) == (["dirt", "reframe", "reframe"], 3)
    QTest.keyClick(table, Qt.Key.Key_N, SHIFT)
    settle(qtbot, window)
    assert not session.treatment.steps[2].enabled
    QTest.keyClick(table, Qt.Key.Key_Delete, CTRL)
    settle(qtbot, window)
    assert ids(window) == ["dirt", "reframe"]
    session.undo()
    assert ids(window) == ["dirt", "reframe", "reframe"]


def test_a_card_is_dragged_to_another_place(qtbot: QtBot, window: Window) -> None:
    session = window.session
    for step in ("dirt", "reframe", "sidefill"):
        session.add_step(step)
    session.select(0)
    settle(qtbot, window)
    first, last = window.bench.path.card(1), window.bench.path.card(3)
    start = QPoint(20, 12)
    end = first.mapFromGlobal(last.mapToGlobal(QPoint(20, last.height() - 2)))
    QTest.mousePress(first, Qt.MouseButton.LeftButton, pos=start)
    settle(qtbot, window)
    QTest.mouseMove(first, QPoint(20, 60))
    end = first.mapFromGlobal(last.mapToGlobal(QPoint(20, last.height() - 2)))
    QTest.mouseRelease(first, Qt.MouseButton.LeftButton, pos=end)
    settle(qtbot, window)
    assert ids(window) == ["reframe", "sidefill", "dirt"]
    assert session.selected == 3
    assert "works better before" in window.messages.text


def test_a_recipe_is_saved_looked_through_and_taken_for_another_reel(
    qtbot: QtBot, window: Window, tmp_path: Path
) -> None:  # fmt: skip
    session = window.session
    other = write_video(tmp_path / "other.mkv", [moving_frames(8).frame(n) for n in range(8)])
    window.opening.add([other])
    settle(qtbot, window)
    window.opening.open_reel(0)
    settle(qtbot, window)
    window.recipes.ask_to_save()
    assert "There is no step yet" in window.messages.text
    session.add_step("dirt")
    session.change_settings(1, {"grow_px": 4})
    settle(qtbot, window)
    window.recipes.save(tmp_path / "quay")
    saved = tmp_path / "quay.recipe.json"
    assert json.loads(saved.read_text())["steps"][0]["settings"]["grow_px"] == 4
    window.opening.open_reel(1)
    settle(qtbot, window)
    session.add_step("reframe")
    settle(qtbot, window)
    window.recipes.take(saved)
    dialog = window.recipes.dialog
    assert dialog is not None
    told = dialog.findChild(QLabel, "recipe_changes")
    assert told.text().splitlines()[:2] == ["goes: Reframe", "comes: Dirt: Grow 4"]
    dialog.findChild(QRadioButton, "recipe_behind").click()
    assert "works better before" in told.text()
    dialog.findChild(QRadioButton, "recipe_instead").click()
    reels = dialog.findChild(QListWidget, "recipe_reels")
    assert [reels.item(row).checkState() for row in range(2)] == [Qt.CheckState.Unchecked, Qt.CheckState.Checked]
    dialog.accept()
    settle(qtbot, window)
    assert ids(window) == ["dirt"]
    assert session.treatment.steps[0].settings["grow_px"] == 4
    session.undo()
    settle(qtbot, window)
    assert ids(window) == ["reframe"]


@pytest.mark.parametrize("content", ["{", '{"format": "grevin-recipe", "version": 2, "steps": [{"step": "dirty"}]}'])
def test_a_wrong_recipe_is_refused_in_words(qtbot: QtBot, window: Window, tmp_path: Path, content: str) -> None:
    path = tmp_path / "wrong.recipe.json"
    path.write_text(content)
    window.recipes.take(path)
    assert window.recipes.dialog is None
    assert "wrong.recipe.json" in window.messages.text or "no step “dirty”" in window.messages.text
    assert ids(window) == []


def test_a_recipe_for_the_present_shot_gives_it_a_treatment_of_its_own(
    qtbot: QtBot, window: Window, tmp_path: Path
) -> None:  # fmt: skip
    session = window.session
    session.add_step("dirt")
    settle(qtbot, window)
    window.recipes.save(tmp_path / "a.recipe.json")
    session.remove_step(1)
    qtbot.waitUntil(lambda: session.parts.settled, timeout=WAIT_MS)
    session.go(6)
    session.parts.split(6)
    settle(qtbot, window)
    window.recipes.take(tmp_path / "a.recipe.json")
    dialog = window.recipes.dialog
    dialog.findChild(QRadioButton, "recipe_shots").click()
    shots = dialog.findChild(QListWidget, "recipe_shots")
    assert shots.isVisible()
    assert dialog.shots == {1}, "the present one"
    dialog.accept()
    settle(qtbot, window)
    assert ids(window) == ["dirt"]
    session.go(2)
    settle(qtbot, window)
    assert ids(window) == []
