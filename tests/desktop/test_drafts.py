"""What is seen of a large picture comes first, in the real window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from grevin.desktop.light_table.view import FIT
from grevin.desktop.window import Window
from grevin.desktop.work.looks import Look
from tests.conftest import moving_frames, write_video
from tests.desktop.conftest import WAIT_MS, settle
from tests.desktop.test_ways_of_looking import drag

pytestmark = pytest.mark.gui
CLOSE = 6.0  # screen pixels for each of the picture's


@pytest.fixture
def enlarged(qtbot: QtBot, new_window: Callable[[Path | None], Window], tmp_path: Path) -> Window:
    """A window on a reel that is enlarged, each frame alone, seen from near."""
    moving = moving_frames(4, 320, 240)
    window = new_window(write_video(tmp_path / "reel.mkv", [moving.frame(n) for n in range(4)]))
    window.session.add_step("enlarge")
    window.session.change_settings(1, {"reach_frames": 0})
    window.session.view_from(1)
    settle(qtbot, window)
    window.bench.table.zoom_to(CLOSE)
    settle(qtbot, window)
    return window


def without_the_whole(window: Window, monkeypatch: pytest.MonkeyPatch) -> list[Look]:
    """The whole picture is never made; the drafts that come."""
    drafts: list[Look] = []
    window.bench.drafting.made.connect(drafts.append)
    monkeypatch.setattr(window.bench._looker, "ask", lambda *_: None)
    return drafts


def seen_part(look: Look, window: Window) -> np.ndarray:
    box = window.bench.table.seen_of(look.frame.format)
    return look.after[box.y : box.y + box.height, box.x : box.x + box.width]


def test_the_part_in_sight_comes_first_and_is_that_of_the_whole(
    qtbot: QtBot, enlarged: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    table = enlarged.bench.table
    before = seen_part(table.look, enlarged).copy()
    with monkeypatch.context() as held:
        drafts = without_the_whole(enlarged, held)
        enlarged.session.change_settings(1, {"amount": 0.4})
        qtbot.waitUntil(lambda: bool(drafts), timeout=WAIT_MS)
        assert table.look.draft
        first = seen_part(table.look, enlarged).copy()
        assert not np.array_equal(first, before)
        count = len(drafts)
        drag(qtbot, enlarged, QPoint(400, 300), QPoint(250, 300))
        qtbot.waitUntil(lambda: len(drafts) > count, timeout=WAIT_MS)  # another part is in sight now
        drag(qtbot, enlarged, QPoint(250, 300), QPoint(400, 300))
    enlarged.bench._ask_look()
    settle(qtbot, enlarged)
    assert not table.look.draft
    apart = seen_part(table.look, enlarged).astype(int) - first
    assert np.abs(apart).max() <= 1, "the whole shows the same there"


def test_no_draft_where_all_is_in_sight_or_the_picture_is_at_hand(
    qtbot: QtBot, enlarged: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    drafts = without_the_whole(enlarged, monkeypatch)
    enlarged.bench.table.zoom_to(FIT)
    enlarged.session.change_settings(1, {"amount": 0.6})
    qtbot.wait(300)
    enlarged.bench.table.zoom_to(CLOSE)
    qtbot.waitUntil(lambda: bool(drafts), timeout=WAIT_MS)  # from near there is one
    count = len(drafts)
    QTest.keyClick(enlarged.bench.table, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.wait(300)
    assert enlarged.session.treatment.steps[0].settings["amount"] == 1.0
    assert len(drafts) == count, "the picture before the change is still there"


def test_the_test_strip_shows_parts_first(qtbot: QtBot, enlarged: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    trying, made = enlarged.bench.trying, []
    look = trying._look
    monkeypatch.setattr(
        trying, "_look", lambda chain, number, seen=None: made.append(seen) or look(chain, number, seen)
    )
    QTest.keyClick(enlarged.bench.table, Qt.Key.Key_P)
    settle(qtbot, enlarged)
    assert trying.on
    count = sum(seen is not None for seen in made)
    assert count >= 2
    assert all(seen is not None for seen in made[:count]), "parts first"
    assert not any(held.draft for held in trying._made.values()), "in the end all of each"


def test_a_draft_that_cannot_be_made_says_what_the_whole_says(qtbot: QtBot, enlarged: Window) -> None:
    enlarged.session.change_settings(1, {"height": 16384, "factor": 2, "pixels": "own"})
    settle(qtbot, enlarged)
    assert "px" in enlarged.messages.text
    assert not enlarged.bench.drafting.busy
