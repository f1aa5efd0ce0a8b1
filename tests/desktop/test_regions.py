"""Regions drawn on the light table with mouse and keys, as a person does."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QSpinBox, QToolButton
from pytestqt.qtbot import QtBot

from grevin.core.treatment.regions import Region
from grevin.desktop.window import Window
from tests.desktop.conftest import settle
from tests.desktop.test_time import drag, on_picture

ALT = Qt.KeyboardModifier.AltModifier
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def drawing(qtbot: QtBot, window: Window) -> Window:
    """The window with a step to draw for."""
    window.session.add_step("dirt")
    settle(qtbot, window)
    return window


def regions(window: Window, place: int = 1) -> tuple[Region, ...]:
    return window.session.treatment.steps[place - 1].regions


def click(qtbot: QtBot, window: Window, point: tuple[float, float], twice: bool = False) -> None:
    table = window.bench.table
    spot: QPoint = on_picture(window, point)
    QTest.mouseClick(table, Qt.MouseButton.LeftButton, pos=spot)
    if twice:
        QTest.mouseDClick(table, Qt.MouseButton.LeftButton, pos=spot)
    settle(qtbot, window)


def test_a_box_is_drawn_pulled_moved_and_undone(qtbot: QtBot, drawing: Window) -> None:
    table = drawing.bench.table
    QTest.keyClick(table, Qt.Key.Key_1, ALT)
    assert "drag from corner to corner" in table.tool.words
    drag(qtbot, drawing, (20, 15), (60, 45))
    (box,) = regions(drawing)
    assert (box.shape, box.use) == ("rectangle", "only")
    assert (box.x, box.y, box.width, box.height) == pytest.approx((20, 15, 40, 30), abs=1)
    drag(qtbot, drawing, (60, 45), (70, 55))
    assert regions(drawing)[0].width == pytest.approx(50, abs=1)
    drag(qtbot, drawing, (45, 35), (50, 35))
    assert regions(drawing)[0].x == pytest.approx(25, abs=1)
    evidence = drawing.session.chain.evidence_at(1, 3)
    assert not evidence.mask[:, :20].any()
    QTest.keyClick(table, Qt.Key.Key_Z, CTRL)
    settle(qtbot, drawing)
    assert regions(drawing)[0].x == pytest.approx(20, abs=1)
    QTest.keyClick(table, Qt.Key.Key_Escape)
    assert table.tool is None


def test_a_polygon_is_clicked_keyed_made_to_follow_and_copied(qtbot: QtBot, drawing: Window) -> None:
    session, table = drawing.session, drawing.bench.table
    card = drawing.bench.path.card(1)
    card.findChild(QToolButton, "draw_polygon").click()
    for point in ((20, 20), (80, 20), (80, 60)):
        click(qtbot, drawing, point)
    click(qtbot, drawing, (20, 60), twice=True)
    (region,) = regions(drawing)
    assert region.shape == "polygon"
    assert len(region.points) == 4
    use = card.findChild(QComboBox, "region_use")
    use.setCurrentIndex(use.findData("protect"))
    use.activated.emit(use.currentIndex())
    for name, frame in (("first", 2), ("last", 7)):
        card.findChild(QSpinBox, f"region_{name}").setValue(frame)
    assert (regions(drawing)[0].first, regions(drawing)[0].last) == (2, 7)
    card.findChild(QSpinBox, "region_last").setValue(1)
    assert regions(drawing)[0].last == 7
    assert "ends where it begins, or later" in drawing.messages.text
    card.findChild(QSpinBox, "region_first").setValue(-1)
    card.findChild(QSpinBox, "region_last").setValue(-1)
    assert (regions(drawing)[0].first, regions(drawing)[0].last) == (None, None)
    feather = card.findChild(QDoubleSpinBox, "feather_px")
    feather.setValue(5)
    settle(qtbot, drawing)
    assert (regions(drawing)[0].use, regions(drawing)[0].feather_px) == ("protect", 5)
    QTest.keyClick(table, Qt.Key.Key_K, ALT)
    session.go(6)
    settle(qtbot, drawing)
    drag(qtbot, drawing, (50, 40), (62, 40))
    (region,) = regions(drawing)
    assert [key.frame for key in region.keys] == [0, 6]
    assert region.outline(3)[0][0] == pytest.approx(25.5, abs=1)
    QTest.keyClick(table, Qt.Key.Key_K, ALT)
    settle(qtbot, drawing)
    assert [key.frame for key in regions(drawing)[0].keys] == [0], "the key frame of this frame is taken out"
    card.findChild(QCheckBox, "region_follow").setChecked(True)
    settle(qtbot, drawing)
    assert regions(drawing)[0].follow
    assert [key.frame for key in regions(drawing)[0].keys] == [0, 6], "it goes on from where it lies"
    session.go(9)
    settle(qtbot, drawing)
    ((_, _, shift),) = table.look.regions
    assert shift[0] == pytest.approx(-2.0 * 3, abs=1.0), "the picture of the reel moves two pixels a frame to the left"
    QTest.keyClick(table, Qt.Key.Key_C, CTRL)
    session.add_step("rebuild")
    settle(qtbot, drawing)
    place = session.selected
    assert session.treatment.steps[place - 1].step == "rebuild"
    QTest.keyClick(table, Qt.Key.Key_V, CTRL)
    settle(qtbot, drawing)
    assert regions(drawing, place) == regions(drawing, 3 - place)
    drawing.bench.path.card(place).findChild(QToolButton, "region_row").click()
    QTest.keyClick(table, Qt.Key.Key_Delete, ALT)
    settle(qtbot, drawing)
    assert regions(drawing, place) == ()


def test_an_ellipse_shows_as_one_and_steps_of_another_shape_have_none(qtbot: QtBot, drawing: Window) -> None:
    session, table = drawing.session, drawing.bench.table
    QTest.keyClick(table, Qt.Key.Key_2, ALT)
    drag(qtbot, drawing, (30, 20), (90, 60))
    assert regions(drawing)[0].shape == "ellipse"
    session.add_step("reframe")
    settle(qtbot, drawing)
    assert table.tool is None
    QTest.keyClick(table, Qt.Key.Key_2, ALT)
    assert table.tool is None
    assert "Select a step that mends pictures" in drawing.messages.text


def test_regions_behind_a_zoom_are_drawn_where_the_picture_shows_them(qtbot: QtBot, drawing: Window) -> None:
    session, table = drawing.session, drawing.bench.table
    session.add_step("reframe")
    session.change_settings(2, {"keys": ({"frame": 0, "zoom": 2.0},)})
    session.select(1)
    session.view_from(2)
    settle(qtbot, drawing)
    QTest.keyClick(table, Qt.Key.Key_1, ALT)
    drag(qtbot, drawing, (40, 30), (80, 60))
    (box,) = regions(drawing)
    wide, high = session.reel.format.width, session.reel.format.height
    assert box.x == pytest.approx(wide / 4 + 20, abs=1)
    assert box.y == pytest.approx(high / 4 + 15, abs=1)
    assert (box.width, box.height) == pytest.approx((20, 15), abs=1)
