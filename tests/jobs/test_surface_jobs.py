"""Worked jobs about the surface of film, done in the real window: docs/jobs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QSpinBox
from pytestqt.qtbot import QtBot

from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.treatment.regions import Region
from grevin.demo.surface_reels import FLARE_FRAMES, SCREEN, SPOTS, flare_at, shop, under_clouds, without_flare
from grevin.demo.time_reels import PAL
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.desktop.conftest import settle
from tests.desktop.test_regions import click
from tests.desktop.test_retouch import choose
from tests.desktop.test_time import drag
from tests.jobs.doing import add, part_of, scratched_reel, studied, surface_reel, written

LENGTH = 16
ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier
DUSTY = (60, 60, 400, 320)  # left, top, width, height: px of the reel, with two of its spots
GLARE = (330, 336, 300, 240)
SHOP = (220, 120, 320, 240)


def off_in_blue(frame: Frame, right: Frame, columns: slice) -> float:
    return float(np.abs(to_rgb(frame)[60:300, columns, 2] - to_rgb(right)[60:300, columns, 2]).mean() * 255)


def test_two_scratches_two_channels(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    path, before, right = scratched_reel(tmp_path, LENGTH)
    window: Window = new_window(path)
    window.session.go(LENGTH // 2)
    settle(qtbot, window)
    QTest.keyClick(window.bench.table, Qt.Key.Key_7)
    settle(qtbot, window)
    assert window.bench.table.look.after.shape[:2] == (320, 416)
    words = add(qtbot, window, "scratches")
    assert "Up to 2 scratches on a frame, on 16 of 16 frames" in words
    QTest.keyClick(window.bench.table, Qt.Key.Key_V)
    settle(qtbot, window)
    both = window.bench.table.look.evidence
    assert len(both.blobs) == 2
    window.session.change_settings(1, {"min_length_pct": 90})
    studied(qtbot, window)
    assert len(window.bench.table.look.evidence.blobs) == 1, "the long one, which shows in blue alone"
    window.do("undo")
    studied(qtbot, window)
    made = written(qtbot, window, tmp_path / "mended.mkv")
    middle = LENGTH // 2
    for blob in both.blobs:
        columns = slice(blob.area[0], blob.area[0] + blob.area[2])
        worn, mended = (off_in_blue(some[middle], right[middle], columns) for some in (before, made))
        assert mended < 0.7 * worn
    outside = ~both.mask
    assert np.array_equal(made[middle].planes[0][outside], before[middle].planes[0][outside])
    assert "16 were mended" in window.output.result.text()


def off_by(frame: Frame, right: Frame, part: tuple[slice, slice]) -> float:
    """Levels rms of R'G'B'."""
    return float(np.sqrt(np.square(to_rgb(frame)[part] - to_rgb(right)[part]).mean()) * 255)


def test_a_spot_under_a_changing_sky(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    path, worn, right = surface_reel(tmp_path, "harbour-through-dust", under_clouds, range(22), DUSTY)
    window: Window = new_window(path)
    assert "1 mark stands while the picture moves on" in add(qtbot, window, "sensor")
    places = [
        (spot.across * PAL.width - DUSTY[0], spot.down * PAL.height - DUSTY[1], spot.radius_px) for spot in SPOTS[:2]
    ]
    QTest.keyClick(window.bench.table, Qt.Key.Key_O, Qt.KeyboardModifier.ShiftModifier)
    assert window.messages.text == "1 mark circled."
    (found,) = window.session.treatment.steps[0].regions
    assert (found.first, found.last, found.shape, found.use) == (0, 21, "ellipse", "only")
    x, y, radius = places[0]
    assert found.x < x - radius
    assert found.x + found.width > x + radius
    studied(qtbot, window)
    QTest.keyClick(window.bench.table, Qt.Key.Key_O, Qt.KeyboardModifier.ShiftModifier)
    assert "marks are looked for where there are none" in window.messages.text
    QTest.keyClick(window.bench.table, Qt.Key.Key_2, ALT)  # the other one by hand
    x, y, radius = places[1]
    drag(qtbot, window, (x - 2 * radius, y - 2 * radius), (x + 2 * radius, y + 2 * radius))
    studied(qtbot, window)
    words = window.bench.path.card(1)._facts.text()
    assert words.count("a spot that changes the light by") == 2
    made = written(qtbot, window, tmp_path / "mended.mkv")
    for number in (4, 12, 20):  # under a cloud and in the sun
        for x, y, radius in places:
            part = (
                slice(int(y - radius), int(y + radius)), slice(int(x - radius), int(x + radius)),
            )  # fmt: skip
            assert off_by(made[number], right[number], part) < 0.3 * off_by(worn[number], right[number], part)
    beside = (slice(0, 100), slice(200, 300))
    assert np.array_equal(made[9].planes[0][beside], worn[9].planes[0][beside])


def test_a_flare_for_four_seconds(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    numbers = range(0, 132, 6)
    path, worn, right = surface_reel(tmp_path, "ferry-into-the-sun", without_flare, numbers, GLARE)
    window: Window = new_window(path)
    add(qtbot, window, "sensor")
    first, last = FLARE_FRAMES[0] // 6, (FLARE_FRAMES[1] - 1) // 6
    table = window.bench.table

    def middle(place: int) -> tuple[float, float]:
        x, y, _ = flare_at(numbers[place])
        return x - GLARE[0], y - GLARE[1]

    window.session.go(first)
    settle(qtbot, window)
    QTest.keyClick(table, Qt.Key.Key_2, ALT)
    x, y = middle(first)
    drag(qtbot, window, (x - 56, y - 56), (x + 56, y + 56))
    QTest.keyClick(table, Qt.Key.Key_K, ALT)
    window.session.go(last)
    settle(qtbot, window)
    drag(qtbot, window, middle(first), middle(last))
    (circle,) = window.session.treatment.steps[0].regions
    assert [key.frame for key in circle.keys] == [first, last]
    for name, frame in (("last", last), ("first", first)):
        window.bench.path.card(1).findChild(QSpinBox, f"region_{name}").setValue(frame)
    studied(qtbot, window)
    assert f"On frames {first} to {last}: a mark that adds up to" in window.bench.path.card(1)._facts.text()
    made = written(qtbot, window, tmp_path / "mended.mkv")
    for place in (7, 10, 14):
        x, y = (int(value) for value in middle(place))
        part = (slice(y - 20, y + 20), slice(x - 20, x + 20))
        assert off_by(made[place], right[place], part) < 0.6 * off_by(worn[place], right[place], part)
    for place in (1, 21):
        assert np.array_equal(made[place].planes[0], worn[place].planes[0])


def test_what_the_machine_left(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    clean = [part_of(shop(number, flickers=False), SHOP) for number in range(12)]
    damage = DirtDamage(seed=12, blobs_per_frame=5.0, hair_share=0.0, largest_px=12)
    worn = [damage.add(frame)[0] for frame in clean]
    middle = 6
    for number in (middle, middle + 1):  # a smear over two frames, which is no dirt of a frame
        luma = worn[number].planes[0].copy()
        luma[150:158, 40:110] = np.clip(luma[150:158, 40:110].astype(int) + 24, 0, 255)
        worn[number] = Frame(number, worn[number].format, (luma, *worn[number].planes[1:]))
    window: Window = new_window(write_video(tmp_path / "specks.mkv", worn))
    window.session.go(middle)
    add(qtbot, window, "dirt")
    smear = (slice(151, 157), slice(44, 106))
    left = window.session.chain.result.frame(middle)
    assert off_by(left, clean[middle], smear) > 15, "the machine left it"
    window.session.add_step("retouch")
    settle(qtbot, window)
    choose(qtbot, window, "before", 2)
    QTest.keyClick(window.bench.table, Qt.Key.Key_1, CTRL)
    drag(qtbot, window, (38, 154), (112, 154))
    made = window.session.chain.result.frame(middle)
    assert off_by(made, clean[middle], smear) < 0.3 * off_by(left, clean[middle], smear)
    final = written(qtbot, window, tmp_path / "mended.mkv")
    assert np.array_equal(final[middle].planes[0], made.rounded().planes[0])
    evidence = window.session.chain.evidence_at(2, middle)
    outside = ~(evidence.mask | window.session.chain.evidence_at(1, middle).mask)
    assert np.array_equal(final[middle].planes[0][outside], worn[middle].planes[0][outside])


def test_a_patch_for_a_screen_that_flickers(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    def at_rest(number: int) -> Frame:
        return shop(number, flickers=False)

    path, worn, _ = surface_reel(tmp_path, "shop-with-a-screen", at_rest, range(4, 34, 2), SHOP)
    window: Window = new_window(path)
    add(qtbot, window, "best mended")
    choose(qtbot, window, "plate")
    QTest.keyClick(window.bench.table, Qt.Key.Key_3, CTRL)
    left, top, width, height = SCREEN[0] - SHOP[0], SCREEN[1] - SHOP[1], SCREEN[2], SCREEN[3]
    left = round(SCREEN[0]) - SHOP[0]
    for point in ((left - 3, top - 3), (left + width + 3, top - 3), (left + width + 3, top + height + 3)):
        click(qtbot, window, point)
    click(qtbot, window, (left - 3, top + height + 3), twice=True)
    (patch,) = window.session.treatment.steps[0].strokes
    assert (patch.fill.way, patch.where.first, patch.where.last) == ("plate", 0, 14)
    made = written(qtbot, window, tmp_path / "steady.mkv")
    corner = (slice(top + 10, top + 40), slice(left + 110, left + 140))  # nobody passes before it
    flicker = [np.std([frame.planes[0][corner].mean() for frame in some]) for some in (worn, made)]
    assert flicker[0] > 5
    assert flicker[1] < 0.1 * flicker[0]
    wide = Region(use="only", x=left, y=top, width=width, height=height).mask((SHOP[3], SHOP[2]))
    crossed = [n for n in range(15) if (window.session.chain.evidence_at(1, n).mask & wide).sum() < 0.97 * wide.sum()]
    assert crossed, "somebody crosses the screen and stays in front"
    number = crossed[len(crossed) // 2]
    kept = wide & ~window.session.chain.evidence_at(1, number).mask
    assert np.array_equal(made[number].planes[0][kept], worn[number].planes[0][kept])
