"""Scratches in the real window: their tracks, drawn ones, and found ones taken in hand: nudged, cut, joined."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from grevin.core.quality.damage.scratch import Line, ScratchDamage
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.core.drawn import frames_of, pan
from tests.desktop.conftest import WAIT_MS, settle
from tests.desktop.test_regions import click
from tests.desktop.test_retouch import strokes
from tests.desktop.test_time import on_picture

HELD = Qt.KeyboardModifier
CTRL, SHIFT, ALT = HELD.ControlModifier, HELD.ShiftModifier, HELD.AltModifier
LENGTH = 14


@pytest.fixture(params=["progressive", "top_first"])
def scratched(qtbot: QtBot, new_window, tmp_path: Path, request: pytest.FixtureRequest) -> Window:
    """The step Line scratch over a reel with one, learned; film on a tape, too: scratches lie on both fields."""
    damage = ScratchDamage(3, lines=(Line(0.3, 3.0, 40.0, "opaque"),))
    reel = [damage.add(frame)[0] for frame in frames_of(pan(LENGTH, noise=1.0))]
    window: Window = new_window(write_video(tmp_path / "scratched.mkv", reel))
    window.session.declare(field_order=request.param)
    settle(qtbot, window)
    window.session.add_step("scratch")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: not window.bench.studying.busy, timeout=WAIT_MS)
    settle(qtbot, window)
    return window


def test_scratches_have_tracks_and_one_is_drawn_by_two_clicks(qtbot: QtBot, scratched: Window) -> None:
    window = scratched
    tracks = window.facts._column._marks.tracks
    assert len(tracks) >= 1
    assert max(map(len, tracks)) >= 10
    assert window.facts._column._marks.tracks_are == "scratches"
    table = window.bench.table
    QTest.keyClick(table, Qt.Key.Key_1, CTRL)
    click(qtbot, window, (220, 20))
    click(qtbot, window, (224, 200))
    (line,) = strokes(window)
    assert (line.where.first, line.where.last, line.where.width_px) == (0, LENGTH - 1, 5)
    assert line.where.points[0] == pytest.approx((219.5, 19.5), abs=1)
    assert line.where.points[1] == pytest.approx((223.5, 199.5), abs=1)
    assert len(window.facts._column._marks.tracks) == len(tracks) + 1
    evidence = window.session.chain.evidence_at(1, 5)
    assert evidence.mask[100, 222]
    assert any(blob.by_hand for blob in evidence.blobs)
    found = next(blob for blob in evidence.blobs if not blob.by_hand)
    window.session.go(5)
    settle(qtbot, window)
    window.session.give_verdict(found.area, "leave")
    settle(qtbot, window)
    QTest.keyClick(table, Qt.Key.Key_Backspace, CTRL)
    settle(qtbot, window)
    assert sum(bool(window.session.verdicts.on("scratch", n)) for n in range(LENGTH)) >= 10
    left = [window.session.chain.evidence_at(1, n) for n in (3, 9)]
    x = found.area[0] + found.area[2] // 2
    assert not any(one.mask[:, x - 3 : x + 3].any() for one in left)


def key(qtbot: QtBot, window: Window, which: Qt.Key, held: HELD = SHIFT) -> None:
    QTest.keyClick(window.bench.table, which, held)
    settle(qtbot, window)


def go(qtbot: QtBot, window: Window, frame: int) -> None:
    window.session.go(frame)
    settle(qtbot, window)


def middle_of(window: Window, frame: int) -> tuple[int, int]:
    """A place on the scratch that was found."""
    blob = next(iter(window.session.chain.evidence_at(1, frame).blobs))
    x, y, width, height = blob.area
    return x + width // 2, y + height // 2


def redraw(qtbot: QtBot, window: Window) -> None:
    """Show the evidence, point at the scratch, take it in hand."""
    go(qtbot, window, 5)
    key(qtbot, window, Qt.Key.Key_V, HELD.NoModifier)
    qtbot.mouseMove(window.bench.table, on_picture(window, middle_of(window, 5)))
    settle(qtbot, window)
    key(qtbot, window, Qt.Key.Key_L)


def test_a_found_scratch_is_taken_in_hand_and_nudged(qtbot: QtBot, scratched: Window) -> None:
    x, _ = middle_of(scratched, 5)
    redraw(qtbot, scratched)
    (line,) = strokes(scratched)
    assert (line.where.first, line.where.last) == (0, LENGTH - 1)
    assert np.abs(line.where.outline(5)[:, 0] - x).max() < 2
    assert "key frames: it is yours to move, cut and join now" in scratched.messages.text
    assert {blob.by_hand for blob in scratched.session.chain.evidence_at(1, 5).blobs} == {True}
    key(qtbot, scratched, Qt.Key.Key_L)
    assert len(strokes(scratched)) == 1, "what was drawn is not drawn once more"
    for _ in range(2):
        key(qtbot, scratched, Qt.Key.Key_Right, ALT | SHIFT)
    key(qtbot, scratched, Qt.Key.Key_Left, ALT | SHIFT)
    (nudged,) = strokes(scratched)
    for frame in (0, 5, LENGTH - 1):
        np.testing.assert_allclose(
            nudged.where.outline(frame), line.where.outline(frame) + np.array((0.5, 0.0)), atol=0.06
        )
    scratched.do("undo")
    settle(qtbot, scratched)
    assert strokes(scratched)[0].where.outline(5)[0, 0] == pytest.approx(line.where.outline(5)[0, 0] + 1.0, abs=0.06)


def test_it_is_cut_and_joined_again(qtbot: QtBot, scratched: Window) -> None:
    redraw(qtbot, scratched)
    whole = strokes(scratched)[0].where
    go(qtbot, scratched, 0)
    key(qtbot, scratched, Qt.Key.Key_X)
    assert "inside the stroke" in scratched.messages.text
    assert len(strokes(scratched)) == 1
    go(qtbot, scratched, 8)
    key(qtbot, scratched, Qt.Key.Key_X)
    assert [(part.where.first, part.where.last) for part in strokes(scratched)] == [(0, 7), (8, LENGTH - 1)]
    go(qtbot, scratched, 10)
    key(qtbot, scratched, Qt.Key.Key_H)  # the part behind now ends here
    key(qtbot, scratched, Qt.Key.Key_J)
    (joined,) = strokes(scratched)
    assert (joined.where.first, joined.where.last) == (0, 10)
    np.testing.assert_allclose(joined.where.outline(4), whole.outline(4), atol=0.15)
    found = scratched.session.chain.evidence_at(1, 12)
    assert {blob.by_hand for blob in found.blobs} == {False}, "behind its end what was found holds again"
    key(qtbot, scratched, Qt.Key.Key_J)
    assert "no other stroke" in scratched.messages.text


def test_nothing_is_redrawn_where_no_scratch_is(qtbot: QtBot, scratched: Window) -> None:
    scratched.session.change_settings(1, {"polarity": "brighter"})
    settle(qtbot, scratched)
    key(qtbot, scratched, Qt.Key.Key_L)
    assert not strokes(scratched)
    assert "point at a scratch that was found" in scratched.messages.text
    key(qtbot, scratched, Qt.Key.Key_X)
    assert "Take hold of a stroke first" in scratched.messages.text
