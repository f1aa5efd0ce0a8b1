"""Strokes drawn, moved, filled, held, copied and taken out in the real window, by mouse and keys."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QListWidget, QSpinBox
from pytestqt.qtbot import QtBot

from grevin.core.picture.frame import Frame
from grevin.core.treatment.strokes import Stroke
from grevin.desktop.reel_column.column import beside
from grevin.desktop.steps.retouch.desk import RetouchDesk
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.core.drawn import frame_of, pan
from tests.core.test_retouch import BLOT, LENGTH, MIDDLE, blotted
from tests.desktop.conftest import settle
from tests.desktop.test_regions import click
from tests.desktop.test_time import drag, on_picture

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
BOTH = CTRL | SHIFT
X, Y, WIDTH, HEIGHT = BLOT


@pytest.fixture
def clean() -> list[Frame]:
    return [frame_of(luma, number) for number, luma in enumerate(pan(LENGTH, noise=1.0))]


@pytest.fixture
def retouch(qtbot: QtBot, new_window, clean: list[Frame], tmp_path: Path) -> Window:
    """The step Retouch on the frame with a blot, the brush in hand."""
    window: Window = new_window(write_video(tmp_path / "blot.mkv", blotted(clean)))
    window.session.go(MIDDLE)
    window.session.add_step("retouch")
    settle(qtbot, window)
    QTest.keyClick(window.bench.table, Qt.Key.Key_1, CTRL)
    return window


def strokes(window: Window) -> tuple[Stroke, ...]:
    return window.session.treatment.steps[0].strokes


def desk(window: Window) -> RetouchDesk:
    return next(one for one in window.bench.desks._desks if isinstance(one, RetouchDesk))


def field(window: Window, kind: type, name: str):
    return window.bench.path.card(1).findChild(kind, name)


def choose(qtbot: QtBot, window: Window, way: str, place: int = 1) -> None:
    """From where strokes of a card are filled."""
    box = window.bench.path.card(place).findChild(QComboBox, "stroke_way")
    box.setCurrentIndex(box.findData(way))
    box.activated.emit(box.currentIndex())
    settle(qtbot, window)


def hold_shift_and_drag(qtbot: QtBot, window: Window, start: tuple[float, float], end: tuple[float, float]) -> None:
    table = window.bench.table
    qtbot.mousePress(table, Qt.MouseButton.LeftButton, SHIFT, on_picture(window, start))
    qtbot.mouseMove(table, on_picture(window, end))
    qtbot.mouseRelease(table, Qt.MouseButton.LeftButton, SHIFT, on_picture(window, end))
    settle(qtbot, window)


def off(window: Window, clean: list[Frame], number: int = MIDDLE) -> float:
    """Levels by which the blot's place is off."""
    made = window.session.chain.result.frame(number).planes[0].astype(float)
    part = slice(Y, Y + HEIGHT), slice(X, X + WIDTH)
    return float(np.abs(made[part] - clean[number].planes[0][part]).mean())


def test_a_brush_mends_a_blot_and_undo_takes_it_back(qtbot: QtBot, retouch: Window, clean: list[Frame]) -> None:
    assert "drag over the damage" in retouch.bench.table.tool.words
    for _ in range(5):
        QTest.keyClick(retouch.bench.table, Qt.Key.Key_Plus, Qt.KeyboardModifier.AltModifier)
    assert off(retouch, clean) > 60
    middle = Y + HEIGHT / 2
    drag(qtbot, retouch, (X - 4, middle), (X + WIDTH + 4, middle))
    (stroke,) = strokes(retouch)
    assert (stroke.where.shape, stroke.where.first, stroke.where.last) == ("brush", MIDDLE, MIDDLE)
    assert stroke.where.width_px > 25
    assert off(retouch, clean) < 3
    assert np.array_equal(
        retouch.bench.table.look.frame.planes[0], retouch.session.chain.result.frame(MIDDLE).planes[0]
    )
    listed = field(retouch, QListWidget, "strokes")
    assert listed.count() == 1
    assert listed.item(0).text() == "1. brush: frames before and after"
    assert not listed.item(0).icon().isNull()
    QTest.keyClick(retouch.bench.table, Qt.Key.Key_Z, CTRL)
    settle(qtbot, retouch)
    assert not strokes(retouch)
    assert off(retouch, clean) > 60
    QTest.keyClick(retouch.bench.table, Qt.Key.Key_Z, BOTH)
    settle(qtbot, retouch)
    assert off(retouch, clean) < 3


def test_what_is_being_drawn_shows_before_anything_is_made(qtbot: QtBot, retouch: Window) -> None:
    table = retouch.bench.table
    before = table.grab().toImage()
    qtbot.mousePress(table, Qt.MouseButton.LeftButton, pos=on_picture(retouch, (60, 60)))
    qtbot.mouseMove(table, on_picture(retouch, (120, 60)))
    spot = on_picture(retouch, (90, 60))
    assert table.grab().toImage().pixelColor(spot) != before.pixelColor(spot)
    assert not strokes(retouch)
    qtbot.mouseRelease(table, Qt.MouseButton.LeftButton, pos=on_picture(retouch, (120, 60)))
    settle(qtbot, retouch)
    assert len(strokes(retouch)) == 1


def test_every_tool_draws_its_shape(qtbot: QtBot, retouch: Window) -> None:
    table = retouch.bench.table
    QTest.keyClick(table, Qt.Key.Key_2, CTRL)
    qtbot.mousePress(table, Qt.MouseButton.LeftButton, pos=on_picture(retouch, (50, 50)))
    for point in ((90, 50), (90, 90), (50, 90), (52, 60)):
        qtbot.mouseMove(table, on_picture(retouch, point))
    qtbot.mouseRelease(table, Qt.MouseButton.LeftButton, pos=on_picture(retouch, (52, 60)))
    QTest.keyClick(table, Qt.Key.Key_3, CTRL)
    for point in ((150, 50), (190, 50)):
        click(qtbot, retouch, point)
    click(qtbot, retouch, (170, 90), twice=True)
    QTest.keyClick(table, Qt.Key.Key_4, CTRL)
    drag(qtbot, retouch, (250, 60), (265, 60))
    outline, polygon, disc = (stroke.where for stroke in strokes(retouch))
    assert (outline.shape, polygon.shape, len(polygon.points)) == ("polygon", "polygon", 3)
    assert outline.mask((240, 320))[70, 70]
    assert not outline.mask((240, 320))[70, 110]
    assert disc.shape == "ellipse"
    assert (disc.width, disc.feather_px) == pytest.approx((30, 15), abs=1)
    QTest.keyClick(table, Qt.Key.Key_Escape)
    assert table.tool is None


def test_another_place_is_dragged_and_a_stroke_moved(qtbot: QtBot, retouch: Window) -> None:
    choose(qtbot, retouch, "place")
    click(qtbot, retouch, (100, 100))
    (stroke,) = strokes(retouch)
    assert stroke.fill.way == "place"
    assert stroke.fill.right > 10, "beside the stroke until it is dragged"
    mark = desk(retouch).source_mark()
    drag(qtbot, retouch, mark, (mark[0] + 30, mark[1] + 40))
    moved = strokes(retouch)[0].fill
    assert (moved.right, moved.down) == pytest.approx((stroke.fill.right + 30, 40), abs=1.5)
    hold_shift_and_drag(qtbot, retouch, (100, 100), (80, 60))
    assert strokes(retouch)[0].where.points[0] == pytest.approx((79.5, 59.5), abs=1)
    assert strokes(retouch)[0].fill == moved
    assert len(strokes(retouch)) == 1


def test_strokes_are_held_followed_keyed_copied_and_gone_to(qtbot: QtBot, retouch: Window) -> None:
    session, table = retouch.session, retouch.bench.table
    click(qtbot, retouch, (160, 120))
    session.go(MIDDLE + 2)
    settle(qtbot, retouch)
    QTest.keyClick(table, Qt.Key.Key_H, SHIFT)
    assert strokes(retouch)[0].where.last == MIDDLE + 2
    follow = retouch.bench.path.card(1).panel._follow
    follow.click()
    settle(qtbot, retouch)
    hold_shift_and_drag(qtbot, retouch, (160, 120), (150, 110))
    where = strokes(retouch)[0].where
    assert where.follow
    assert [key.frame for key in where.keys][-1] == MIDDLE + 2, "corrected by eye from here on"
    QTest.keyClick(table, Qt.Key.Key_K, SHIFT)
    assert MIDDLE + 2 not in [key.frame for key in strokes(retouch)[0].where.keys]
    QTest.keyClick(table, Qt.Key.Key_C, BOTH)
    session.go(1)
    settle(qtbot, retouch)
    QTest.keyClick(table, Qt.Key.Key_V, BOTH)
    settle(qtbot, retouch)
    assert [one.where.first for one in strokes(retouch)] == [4, 0], "held as long, moved in time"
    session.go(8)
    settle(qtbot, retouch)
    QTest.keyClick(table, Qt.Key.Key_PageUp, SHIFT)
    assert session.place.frame == 4
    settle(qtbot, retouch)
    first = field(retouch, QSpinBox, "stroke_first")
    listed = field(retouch, QListWidget, "strokes")
    listed.itemClicked.emit(listed.item(0))
    first.setValue(3)
    settle(qtbot, retouch)
    assert strokes(retouch)[0].where.first == 3
    first.setValue(8)
    settle(qtbot, retouch)
    assert strokes(retouch)[0].where.first == 3
    assert "ends where it begins, or later" in retouch.messages.text
    assert first.value() == 3
    assert retouch.facts._column._marks.tracks[0] == range(3, 7)
    QTest.keyClick(table, Qt.Key.Key_Delete)
    settle(qtbot, retouch)
    assert len(strokes(retouch)) == 1


def test_a_chosen_frame_and_a_patch_over_the_shot(qtbot: QtBot, retouch: Window) -> None:
    click(qtbot, retouch, (160, 120))
    retouch.session.go(7)
    settle(qtbot, retouch)
    QTest.keyClick(retouch.bench.table, Qt.Key.Key_R, BOTH)
    settle(qtbot, retouch)
    assert (strokes(retouch)[0].fill.way, strokes(retouch)[0].fill.frame) == ("frame", 7)
    assert "frame 7" in retouch.messages.text
    choose(qtbot, retouch, "both")
    listed = field(retouch, QListWidget, "strokes")
    assert listed.item(0).text() == "No stroke on this frame."
    assert "1 stroke on other frames" in retouch.bench.path.card(1).panel._words.text()
    desk(retouch).pick(-1)
    choose(qtbot, retouch, "plate")
    QTest.keyClick(retouch.bench.table, Qt.Key.Key_3, CTRL)
    for point in ((50, 50), (120, 50), (120, 100)):
        click(qtbot, retouch, point)
    click(qtbot, retouch, (50, 100), twice=True)
    plate = strokes(retouch)[-1]
    assert (plate.fill.way, plate.fill.frame) == ("plate", 7)
    assert (plate.where.first, plate.where.last) == (0, LENGTH - 1)
    assert (plate.where.rounding_px, plate.where.feather_px) == (3, 5)


def test_strokes_outlive_a_reopening_and_trims_that_leave_them_out(
    qtbot: QtBot, retouch: Window, new_window, clean: list[Frame]
) -> None:
    drag(qtbot, retouch, (X, Y + 10), (X + WIDTH, Y + 10))
    drawn = strokes(retouch)
    retouch.session.declare(head=6)
    retouch.session.go(7)
    settle(qtbot, retouch)
    assert "1 on frames that are left out, kept" in retouch.bench.path.card(1).panel._words.text()
    path = retouch.session.job_file.path
    retouch.close()
    again = new_window(path)
    assert strokes(again) == drawn


def test_tracks_that_overlap_lie_side_by_side() -> None:
    assert beside((range(10), range(5, 20), range(10, 12))) == (
        (range(10), 0), (range(5, 20), 1), (range(10, 12), 0),
    )  # fmt: skip
