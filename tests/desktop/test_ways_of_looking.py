"""Every way of looking, in the real window, by keys and mouse."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox
from pytestqt.qtbot import QtBot

from grevin.core.measure.area import Box
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.treatment.families.local import LocalSource
from grevin.desktop.measuring.sending import offers
from grevin.desktop.style import look as style
from grevin.desktop.window import Window
from grevin.desktop.work.looks import COMPARE_LABELS
from tests.conftest import write_video
from tests.desktop.conftest import WAIT_MS, settle
from tests.desktop.test_window import press, seen

pytestmark = pytest.mark.gui
Opener = Callable[[Path | None], Window]
NONE = Qt.KeyboardModifier.NoModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
ALT = Qt.KeyboardModifier.AltModifier
BELOW_LABELS = 120
TAPE = PictureFormat(160, 120, "yuv", 8, chroma="4:2:2", field_order="top_first")


def drag(qtbot: QtBot, window: Window, first: QPoint, last: QPoint, modifier: Qt.KeyboardModifier = NONE) -> None:
    table = window.bench.table
    qtbot.mousePress(table, Qt.MouseButton.LeftButton, modifier, first)
    qtbot.mouseMove(table, last)
    qtbot.mouseRelease(table, Qt.MouseButton.LeftButton, modifier, last)
    settle(qtbot, window)


def test_one_channel_by_key(qtbot: QtBot, window: Window) -> None:
    table = window.bench.table
    plain = seen(window)
    for key, channel in (
        (Qt.Key.Key_5, "red"), (Qt.Key.Key_6, "green"), (Qt.Key.Key_7, "blue"), (Qt.Key.Key_8, "luma"),
        (Qt.Key.Key_9, "chroma"),
    ):  # fmt: skip
        press(qtbot, window, key)
        assert window.bench.looking.ways.channel == channel
        assert window.bench.looking_bar.findChild(QComboBox, "channel").currentText() == channel
        assert not np.array_equal(seen(window)[:60], plain[:60]), "the label says so"
    middle = seen(window)[BELOW_LABELS:, table.width() // 2 - 40 : table.width() // 2 + 40]
    assert (abs(middle.astype(int) - 128) <= 1).all(), "a grey picture has no chroma"
    press(qtbot, window, Qt.Key.Key_0)
    np.testing.assert_array_equal(seen(window), plain)


@pytest.fixture
def interlaced(qtbot: QtBot, new_window: Opener, tmp_path: Path) -> Window:
    """A window with a tape whose first lines are dark where the later ones are light."""
    luma = np.full((120, 160), 60, np.uint8)
    luma[1::2] = 180
    frames = [Frame(number, TAPE, (luma, *(np.full((120, 80), 128, np.uint8),) * 2)) for number in range(4)]
    return new_window(write_video(tmp_path / "tape.mkv", frames, field_order=2))


def middle_of(window: Window) -> float:
    """Brightness of the middle of the light table."""
    picture = seen(window)
    down, across = (size // 2 for size in picture.shape[:2])
    return float(picture[down - 10 : down + 10, across - 10 : across + 10, 1].mean())


def test_one_field_alone_and_then_field_by_field(qtbot: QtBot, interlaced: Window) -> None:
    looking, session = interlaced.bench.looking, interlaced.session
    assert session.chain is not None
    assert session.chain.source.format.field_order == "top_first"
    both = middle_of(interlaced)
    press(qtbot, interlaced, Qt.Key.Key_I)
    earlier = middle_of(interlaced)
    assert earlier < both - 30, "the lines of the dark field alone"
    places = []
    for key in (Qt.Key.Key_F, Qt.Key.Key_F, Qt.Key.Key_D):
        press(qtbot, interlaced, key)
        places.append((session.place.frame, looking.ways.field, middle_of(interlaced) > both))
    assert places == [(0, "later", True), (1, "earlier", False), (0, "later", True)]
    press(qtbot, interlaced, Qt.Key.Key_Right, SHIFT)
    assert (session.place.frame, looking.ways.field) == (3, "later"), "ten frames are frames"
    press(qtbot, interlaced, Qt.Key.Key_I)
    assert middle_of(interlaced) == pytest.approx(both, abs=2)


def test_what_has_no_fields_is_shown_whole_and_says_so(qtbot: QtBot, window: Window) -> None:
    plain = seen(window)
    press(qtbot, window, Qt.Key.Key_I)
    np.testing.assert_array_equal(seen(window)[BELOW_LABELS:], plain[BELOW_LABELS:])
    assert not np.array_equal(seen(window)[:60], plain[:60])
    press(qtbot, window, Qt.Key.Key_F)
    assert window.session.place.frame == 1
    press(qtbot, window, Qt.Key.Key_Escape)
    assert window.bench.looking.ways.field == "both"


def test_side_by_side_at_one_crop_and_zoom(qtbot: QtBot, treated: Window) -> None:
    press(qtbot, treated, Qt.Key.Key_2)
    press(qtbot, treated, Qt.Key.Key_S)
    table = treated.bench.table
    left, right = table.panes()
    assert left.width() == right.width()
    press(qtbot, treated, Qt.Key.Key_W)  # view point to the source: both sides are the same picture now
    offset, width = int(right.left()), int(left.width()) - 1

    def halves() -> tuple[np.ndarray, np.ndarray]:
        picture = seen(treated)[BELOW_LABELS : table.height() - 60]
        return picture[:, :width], picture[:, offset : offset + width]

    np.testing.assert_array_equal(*halves())
    press(qtbot, treated, Qt.Key.Key_R)
    first, second = halves()
    assert not np.array_equal(first, second)
    before = table.view
    drag(qtbot, treated, QPoint(offset + 50, 300), QPoint(offset + 20, 300))
    assert table.view.x > before.x, "a drag on either side moves both"


def test_difference_and_taken_away_with_gain_and_harm(qtbot: QtBot, treated: Window) -> None:
    table, looking = treated.bench.table, treated.bench.looking
    for _ in range(4):
        press(qtbot, treated, Qt.Key.Key_F)
    press(qtbot, treated, Qt.Key.Key_T, SHIFT)
    assert looking.ways.compare == "difference"
    dark = seen(treated)[BELOW_LABELS:]
    inside = dark[:, table.width() // 2 - 240 : table.width() // 2 + 240]
    assert (inside == 0).all(axis=-1).mean() > 0.9
    assert (inside > 60).any()
    press(qtbot, treated, Qt.Key.Key_T)
    assert table.look is not None
    assert table.look.harm is not None
    middle = seen(treated)[BELOW_LABELS:, table.width() // 2 - 240 : table.width() // 2 + 240]
    assert (middle == 128).all(axis=-1).mean() > 0.9
    press(qtbot, treated, Qt.Key.Key_G, SHIFT)
    assert looking.ways.gain == 16
    gain = treated.bench.looking_bar.findChild(QDoubleSpinBox, "gain")
    assert gain.value() == 16
    gain.setValue(4)
    settle(qtbot, treated)
    assert looking.ways.gain == 4
    for _ in range(9):
        treated.do("gain_down")
    assert looking.ways.gain == 1
    press(qtbot, treated, Qt.Key.Key_Escape)
    assert looking.ways.compare == "one"


def test_the_wipe_can_be_turned_and_moved(qtbot: QtBot, treated: Window) -> None:
    table, looking = treated.bench.table, treated.bench.looking
    press(qtbot, treated, Qt.Key.Key_C)
    middle = QPoint(table.width() // 2, table.height() // 2)
    knob = QPoint(*(round(value) for value in looking.wipe.knob(table.table())))
    drag(qtbot, treated, knob, QPoint(middle.x() + 80, middle.y()))
    assert abs(abs(looking.wipe.angle) - 90) < 3
    drag(qtbot, treated, QPoint(middle.x() - 150, middle.y()), QPoint(middle.x() - 150, middle.y() + 90))
    assert looking.wipe.y > 0.55
    press(qtbot, treated, Qt.Key.Key_C, SHIFT)
    assert abs(abs(looking.wipe.angle) - 45) < 3
    press(qtbot, treated, Qt.Key.Key_C)
    assert looking.ways.compare == "one"


def test_evidence_colour_and_the_mask_alone(qtbot: QtBot, treated: Window) -> None:
    press(qtbot, treated, Qt.Key.Key_V, SHIFT)
    alone = seen(treated)[BELOW_LABELS:].reshape(-1, 3)
    kinds = {tuple(colour) for colour in np.unique(alone, axis=0)}
    red, green, blue = style.EVIDENCE
    assert {(60, 60, 60), (blue, green, red)} <= kinds, "a drawing on grey, nothing of the picture"
    menu = treated.bench.looking_bar._buttons["evidence"].menu()
    orange = next(action for action in menu.actions() if action.text() == "orange")
    orange.trigger()
    assert treated.bench.looking.drawing.colour == (230, 159, 0)
    press(qtbot, treated, Qt.Key.Key_V)
    shown = seen(treated)[BELOW_LABELS:]
    assert (shown == (0, 159, 230)).all(axis=-1).any()
    press(qtbot, treated, Qt.Key.Key_V)
    assert treated.bench.looking.drawing.evidence == "off"


def test_pan_by_keys_space_and_middle_button(qtbot: QtBot, window: Window) -> None:
    table = window.bench.table
    press(qtbot, window, Qt.Key.Key_4)
    first = table.view
    press(qtbot, window, Qt.Key.Key_Left, ALT)
    assert table.view.x < first.x
    press(qtbot, window, Qt.Key.Key_Right, ALT)
    press(qtbot, window, Qt.Key.Key_M)
    qtbot.keyPress(table, Qt.Key.Key_Space)
    drag(qtbot, window, QPoint(300, 200), QPoint(340, 200))
    qtbot.keyRelease(table, Qt.Key.Key_Space)
    assert not window.bench.player.playing, "space was used for moving, not for playing"
    assert window.bench.measuring.box is None
    moved = table.view
    assert moved.x < first.x
    qtbot.mousePress(table, Qt.MouseButton.MiddleButton, pos=QPoint(300, 200))
    qtbot.mouseMove(table, QPoint(260, 200))
    qtbot.mouseRelease(table, Qt.MouseButton.MiddleButton, pos=QPoint(260, 200))
    assert table.view.x > moved.x


def test_measuring_and_sending_a_measured_width_to_a_setting(qtbot: QtBot, treated: Window) -> None:
    table, panel = treated.bench.table, treated.bench.measuring.panel
    press(qtbot, treated, Qt.Key.Key_4)
    assert not panel.isVisible()
    press(qtbot, treated, Qt.Key.Key_M)
    assert "Drag a box" in panel.words.text()
    drag(qtbot, treated, QPoint(300, 200), QPoint(348, 224))
    box = treated.bench.measuring.box
    assert box is not None
    assert abs(box.width - 12) <= 1
    assert abs(box.height - 6) <= 1
    assert f"{box.width} x {box.height} px" in panel.words.text()
    assert table.look is not None
    mean = table.look.frame.planes[0][box.y : box.y + box.height, box.x : box.x + box.width].mean()
    assert f"{mean:.1f}" in panel.words.text()
    place = panel.offered.findText(f"width {box.width} px to Smallest")
    panel.offered.setCurrentIndex(place)
    panel.send.click()
    settle(qtbot, treated)
    assert treated.session.treatment.steps[0].settings["smallest_px"] == box.width
    press(qtbot, treated, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert treated.session.treatment.steps[0].settings["smallest_px"] == 3
    press(qtbot, treated, Qt.Key.Key_Escape)
    assert treated.bench.measuring.box is None
    assert not panel.isVisible()
    drag(qtbot, treated, QPoint(300, 200), QPoint(320, 210), SHIFT)
    assert treated.bench.measuring.box is not None, "Shift and drag measures at any time"
    press(qtbot, treated, Qt.Key.Key_M, SHIFT)
    assert treated.bench.measuring.box.width > 100, "all that is seen"


def test_offers_are_by_unit_and_within_the_range(treated: Window) -> None:
    step, fmt = treated.session.treatment.steps[0], treated.session.reel.format
    words = [offer.words for offer in offers(Box(0, 0, 5, 30), fmt, step)]
    assert "height 30 px to Smallest" in words
    assert "area 150 px to Largest" in words
    assert all("Motion limit" not in text for text in words), "px/frame is another unit"
    assert all("to Grow" not in text for text in words if "30" in text), "10 px is the most it takes"
    assert offers(Box(0, 0, 5, 5), fmt, None) == []


def test_the_probe_reads_code_values(qtbot: QtBot, window: Window) -> None:
    table, bar = window.bench.table, window.bench.time_bar
    press(qtbot, window, Qt.Key.Key_4)
    qtbot.mouseMove(table, QPoint(table.width() // 2, table.height() // 2))
    assert table.look is not None
    x, y = (round(share * size) for share, size in ((table.view.x, 160), (table.view.y, 120)))
    text = bar._probe.text()
    assert text.startswith("x ")
    px, py = (int(part) for part in text.replace("x ", "").replace("y ", "").split()[:2])
    assert abs(px - x) <= 1
    assert abs(py - y) <= 1
    assert f"Y' {table.look.frame.planes[0][py, px]} (" in text
    qtbot.mouseMove(window.bench.strip, QPoint(5, 5))


def test_scopes_follow_the_frame_and_the_box(qtbot: QtBot, window: Window) -> None:
    panel = window.bench.scopes
    press(qtbot, window, Qt.Key.Key_B)
    assert panel.isVisible()
    qtbot.waitUntil(lambda: panel.scopes[0]._picture is not None, timeout=WAIT_MS)
    whole = panel.scopes[0]._picture.copy()
    press(qtbot, window, Qt.Key.Key_F)
    qtbot.waitUntil(lambda: not np.array_equal(panel.scopes[0]._picture, whole), timeout=WAIT_MS)
    panel.choices[0].setCurrentText("histogram")
    panel.choices[0].activated.emit(panel.choices[0].currentIndex())
    qtbot.waitUntil(lambda: panel.scopes[0]._kind == "histogram", timeout=WAIT_MS)
    taken = panel.taken
    panel.boxed.setChecked(True)
    window.bench.measuring.show_box(Box(10, 10, 20, 20))
    qtbot.waitUntil(lambda: panel.taken > taken, timeout=WAIT_MS)
    for kind in ("luma waveform", "vectorscope"):
        panel.choices[1].setCurrentText(kind)
        panel.choices[1].activated.emit(panel.choices[1].currentIndex())
        qtbot.waitUntil(lambda kind=kind: panel.scopes[1]._kind == kind, timeout=WAIT_MS)
        panel.grab()
    press(qtbot, window, Qt.Key.Key_B)
    assert not panel.isVisible()


def test_scopes_are_live_while_playing(qtbot: QtBot, window: Window) -> None:
    press(qtbot, window, Qt.Key.Key_B)
    shown: list[object] = []
    window.bench.looked.connect(shown.append)
    before = window.bench.scopes.taken
    qtbot.keyClick(window.bench.table, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: len(shown) > 40, timeout=WAIT_MS)
    qtbot.keyClick(window.bench.table, Qt.Key.Key_Space)
    assert window.bench.scopes.taken - before >= len(shown) // 2, "half rate or better"


def test_loops_and_shuttle(qtbot: QtBot, window: Window) -> None:
    player, session = window.bench.player, window.session
    session.go(4)
    press(qtbot, window, Qt.Key.Key_Q)
    session.go(8)
    press(qtbot, window, Qt.Key.Key_E)
    assert player.loop == range(4, 9)
    assert window.column._marks.loop == range(4, 9)
    assert window.bench.time_bar._loop.text() == "loop 4 to 8"
    frames: set[int] = set()
    session.place_changed.connect(lambda place: frames.add(place.frame))
    qtbot.keyClick(window.bench.table, Qt.Key.Key_G)
    qtbot.keyClick(window.bench.table, Qt.Key.Key_G)
    assert player.speed == 2
    qtbot.waitUntil(lambda: len(frames) == 5, timeout=WAIT_MS)
    assert frames == {4, 5, 6, 7, 8}
    qtbot.keyClick(window.bench.table, Qt.Key.Key_A)
    assert player.speed == -1
    qtbot.waitUntil(lambda: "backwards" in window.messages.text, timeout=WAIT_MS)
    for _ in range(7):
        player.shuttle(-1)
    assert player.speed == -16
    qtbot.keyClick(window.bench.table, Qt.Key.Key_Space)
    assert not player.playing
    press(qtbot, window, Qt.Key.Key_Q, SHIFT)
    assert not player.loop_is_set
    press(qtbot, window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    assert player.loop == range(12), "one shot"


def test_treated_frames_are_made_ready_for_playing(qtbot: QtBot, treated: Window) -> None:
    chain = treated.session.chain
    assert chain is not None
    qtbot.waitUntil(lambda: all(chain.is_ready(1, frame) for frame in range(12)), timeout=WAIT_MS)
    qtbot.waitUntil(lambda: not treated.bench.readying.busy, timeout=WAIT_MS)
    assert "ready to be played" in treated.column._words(9)


def test_what_was_made_ready_is_at_hand_when_the_job_is_opened_again(
    qtbot: QtBot, treated: Window, new_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    making = treated.session.making_at(1)
    assert making is not None
    qtbot.waitUntil(lambda: all(making.has(frame) for frame in range(12)), timeout=WAIT_MS)
    settle(qtbot, treated)
    right = [treated.session.chain.result.frame(frame).planes[0] for frame in range(12)]
    job = treated.session.job_file.path
    treated.close()
    again = new_window(job)
    monkeypatch.setattr(LocalSource, "_make", lambda *_: pytest.fail("made again"))
    for frame in range(2, 12):
        again.session.go(frame)
        settle(qtbot, again)
        assert again.bench.table.look.number == frame
        assert np.array_equal(again.bench.table.look.frame.planes[0], right[frame])
        assert "ready to be played" in again.column._words(frame)


def test_neighbours_say_what_they_are(qtbot: QtBot, window: Window) -> None:
    strip = window.bench.strip
    window.session.go(5)
    settle(qtbot, window)
    assert strip.caption(5)[0] == "5"
    assert strip.caption(6)[0] == "6  +1"
    assert strip.caption(6)[1].startswith("new, ")
    press(qtbot, window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert strip.count == 3
    strip.grab()
    press(qtbot, window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert strip.count == 5


def test_the_picture_on_the_full_screen(qtbot: QtBot, window: Window) -> None:
    parts = (window.parts.head, window.column, window.bench.looking_bar, window.bench.strip, window.bench.side)
    press(qtbot, window, Qt.Key.Key_F11)
    qtbot.waitUntil(window.isFullScreen, timeout=WAIT_MS)
    assert not any(part.isVisible() for part in parts)
    assert not window.menuBar().isVisible()
    press(qtbot, window, Qt.Key.Key_F)
    assert window.session.place.frame == 1, "keys act"
    press(qtbot, window, Qt.Key.Key_Escape)
    assert not window.isFullScreen()
    assert all(part.isVisible() for part in parts)


def test_counting_in_timecode_and_going_there(qtbot: QtBot, window: Window) -> None:
    press(qtbot, window, Qt.Key.Key_H)
    field = window.bench.time_bar.frame_field
    assert field.text() == "00:00:00:00"
    assert window.column._marks.counter.kind == "timecode"
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "00:00:00:09")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.session.place.frame == 9
    press(qtbot, window, Qt.Key.Key_H)
    assert field.text() == "9", "feet are left out while no gauge is declared"


def test_how_one_looked_is_remembered(qtbot: QtBot, new_window: Opener, window: Window) -> None:
    press(qtbot, window, Qt.Key.Key_B)
    press(qtbot, window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    press(qtbot, window, Qt.Key.Key_H)
    window.bench.looking.draw(colour=(86, 180, 233))
    window.bench.scopes.show_kinds(["histogram", "luma waveform"])
    window.resize(1400, 820)
    window.close()
    again = new_window(None)
    assert again.bench.scopes.isVisibleTo(again.bench.side)
    assert again.bench.scopes.kinds() == ["histogram", "luma waveform"]
    assert again.bench.strip.count == 3
    assert again.session.counter_kind == "timecode"
    assert again.bench.looking.drawing.colour == (86, 180, 233)


def test_no_way_of_looking_widens_the_window(qtbot: QtBot, treated: Window) -> None:
    treated.session.count_in("timecode")
    for compare in COMPARE_LABELS:
        treated.bench.looking.change({"compare": compare})
        settle(qtbot, treated)
        assert treated.minimumSizeHint().width() <= 1280, compare
        assert treated.width() == 1280, compare
