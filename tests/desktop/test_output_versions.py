"""Versions in the form of the place Output: what concerns them, one's own, how copies look and play."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QInputDialog
from pytestqt.qtbot import QtBot

from grevin.core.media.opening import open_reel
from grevin.core.render.versions import user_versions
from grevin.desktop.window import Window
from tests.desktop.conftest import WAIT_MS, settle
from tests.desktop.test_output import LEFT, choose, states, written


def test_a_version_asks_for_what_concerns_it_alone(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output = window.output
    assert [output.path.text(), output.bits.isVisible(), output.quality.isVisible()] == [
        str(tmp_path / "dirty-treated.mkv"), True, False,
    ]  # fmt: skip
    choose(window, "h264")
    assert [output.path.text(), output.bits.isVisible(), output.quality.isVisible()] == [
        str(tmp_path / "dirty-treated.mp4"), False, True,
    ]  # fmt: skip
    choose(window, "prores-422-hq")
    assert output.path.text().endswith("dirty-treated-prores-422-hq.mov")
    assert not output.quality.isVisible()
    choose(window, "png")
    assert output.path.text() == str(tmp_path / "dirty-treated" / "dirty.%06d.png")
    assert not output.sound.isVisible()


def test_a_version_of_ones_own_is_kept_taken_and_forgotten(
    qtbot: QtBot, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert not form.forget_it.isVisible()
    choose(window, "h264")
    output.quality.setCurrentIndex(output.quality.findData("small"))
    output.ledger.setChecked(True)
    output.path.setText(str(tmp_path / "dirty for Maud.mp4"))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args, **_more: ("For Maud", True))
    qtbot.mouseClick(form.keep_it, LEFT)
    assert output.version.currentText() == "For Maud"
    choose(window, "ffv1")
    output.ledger.setChecked(False)
    choose(window, "For Maud")
    assert output.path.text() == str(tmp_path / "dirty for Maud.mp4")
    assert (output.quality.currentData(), output.ledger.isChecked()) == ("small", True)
    assert form.forget_it.isVisible()
    qtbot.mouseClick(form.forget_it, LEFT)
    assert output.version.findText("For Maud") < 0
    assert not form.forget_it.isVisible()


def test_an_access_copy_is_written_and_its_loss_told(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    window.session.add_step("dirt")
    settle(qtbot, window)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    choose(window, "h264")
    window.output.quality.setCurrentIndex(2)
    qtbot.mouseClick(window.output.write, LEFT)
    written(qtbot, window)
    assert "H.264 costs some of every picture" in window.output.result.text()
    assert len(open_reel(tmp_path / "dirty-treated.mp4")) == 12
    assert states(window) == ["done"]
    (order,) = window.output._queue.orders()
    assert order.order.quality == "small"


def test_a_larger_version_of_the_same_treatment(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    high = window.session.chain.size_format.height
    form._show("enlarge", 2 * high)
    form.enlarge.setCurrentIndex(form.enlarge.findData(2 * high))
    qtbot.waitUntil(lambda: f"x{2 * high} " in output._caption.text(), timeout=WAIT_MS)
    assert "enlarge" in output._treated.text()
    form.keep("Large", "dirty")
    choose(window, "ffv1")
    form.enlarge.setCurrentIndex(0)
    qtbot.waitUntil(lambda: f"x{high} " in output._caption.text(), timeout=WAIT_MS)
    choose(window, "Large")
    assert form.wishes.enlarged_lines == 2 * high
    output.last.setValue(1)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    assert open_reel(Path(output.path.text())).format.height == 2 * high
    assert window.session.treatment.steps == (), "the job's own treatment stays as it is"
    choose(window, "wav")
    assert not form.enlarge.isVisible(), "sound has no lines"


def test_the_shape_of_an_access_copy(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    window.session.declare(pixel_aspect="16:15")
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert not form.lines.isVisible(), "a master keeps its shape"
    assert not form.colours.isVisible(), "and its colours"
    choose(window, "h264")
    form.square.click()
    qtbot.keyClicks(form.colours, "of")
    wide, high = window.session.chain.size_format.width, window.session.chain.size_format.height
    square = 2 * round(wide * 16 / 15 / 2)
    qtbot.waitUntil(lambda: f"{square} x {high}" in output._caption.text(), timeout=WAIT_MS)
    form.keep("For the web", "dirty")
    assert (user_versions().all()[0].square_pixels, user_versions().all()[0].most_lines) == (True, None)
    choose(window, "h264")
    form.square.click()
    choose(window, "For the web")
    assert form.square.isChecked()
    assert form.colours.currentData() == "bt709"
    output.last.setValue(3)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    made = open_reel(Path(output.path.text()))
    assert (made.format.width, made.format.height, made.format.pixel_aspect) == (square, high, 1)
    assert made.format.matrix == "bt709"


def test_the_shot_in_sight_is_written(qtbot: QtBot, window: Window) -> None:
    length = window.session.length
    window.session.parts.split(4)
    window.session.parts.split(9)
    window.session.declare(head=2)
    window.session.go(3)
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert (output.first.value(), output.last.value()) == (2, length - 1)
    qtbot.mouseClick(form.shot, LEFT)
    assert (output.first.value(), output.last.value()) == (2, 3), "not beyond the trims"
    window.session.go(5)
    qtbot.mouseClick(form.shot, LEFT)
    assert (output.first.value(), output.last.value()) == (4, 8)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    assert len(open_reel(Path(output.path.text()))) == 5
    qtbot.mouseClick(form.all, LEFT)
    assert (output.first.value(), output.last.value()) == (2, length - 1)


def test_how_an_access_copy_plays(qtbot: QtBot, window: Window) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert not form.rate.isVisible(), "a master plays as the material does"
    assert not form.before.isVisible()
    choose(window, "h264")
    form.rate.setFocus()
    qtbot.keyClicks(form.rate, "50")
    for number, seconds in ((form.before, "0.1"), (form.after, "0.2")):
        number.selectAll()
        qtbot.keyClicks(number, seconds)
        qtbot.keyClick(number, Qt.Key.Key_Tab)
    form.keep("For the hall", "dirty")
    choose(window, "h264")
    form.before.setValue(0)
    form.rate.setCurrentIndex(0)
    choose(window, "For the hall")
    assert (form.rate.currentData(), form.before.value(), form.after.value()) == ("50", 0.1, 0.2)
    output.last.setValue(3)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    made = open_reel(Path(output.path.text()))
    assert (len(made), made.format.rate) == (5 + 4 + 10, 50)
    ((_, proof),) = window.session.job_file.runs()
    assert "Black was put before them (5 frames) and after (10)." in proof["summary"]


def test_samples_and_fields_of_an_access_copy(qtbot: QtBot, window: Window) -> None:
    window.session.declare(field_order="bottom_first")
    qtbot.keyClick(window, Qt.Key.Key_F5)
    output, form = window.output, window.output._form
    assert form.whole_frames.isVisible(), "a master may be of whole frames"
    assert not any(box.isVisible() for box in (form.first_field, form.chroma, form.levels))
    choose(window, "av1")
    assert (form.chroma.isVisible(), form.levels.isVisible(), form.bits.isVisible()) == (False, True, True)
    assert [form.bits.itemData(place) for place in range(form.bits.count())] == [None, 8, 10]
    choose(window, "prores-422-hq")
    assert (form.first_field.isVisible(), form.chroma.isVisible(), form.levels.isVisible()) == (True, False, False)
    choose(window, "h264")
    for box, keys in ((form.first_field, "top"), (form.chroma, "4:2:2"), (form.levels, "full")):
        box.setFocus()
        qtbot.keyClicks(box, keys)
    form.keep("For the other deck", "dirty")
    assert user_versions().all()[0].first_field == "top"
    choose(window, "h264")
    for box in (form.first_field, form.chroma, form.levels):
        box.setCurrentIndex(0)
    choose(window, "For the other deck")
    assert [form.first_field.currentData(), form.chroma.currentData(), form.levels.currentData()] == [
        "top", "4:2:2", "full",
    ]  # fmt: skip
    output.last.setValue(3)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    made = open_reel(Path(output.path.text())).format
    assert (made.field_order, made.chroma, made.full_range) == ("top_first", "4:2:2", True)
    window.session.declare(field_order="progressive")
    qtbot.waitUntil(lambda: "no two fields" in output.picture._words, timeout=WAIT_MS)
    window.session.declare(field_order="bottom_first")
    choose(window, "h265")
    form.whole_frames.setFocus()
    qtbot.keyClick(form.whole_frames, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: "fields" in output._treated.text(), timeout=WAIT_MS)
    qtbot.waitUntil(lambda: "look at the whole reel first" in output._caption.text(), timeout=WAIT_MS)
    assert not form.first_field.isEnabled(), "whole frames have none"
    output.last.setValue(3)
    qtbot.mouseClick(output.write, LEFT)
    written(qtbot, window)
    assert len(open_reel(Path(output.path.text()))) == 4
    assert window.session.treatment.steps == (), "the job's own treatment stays as it is"
