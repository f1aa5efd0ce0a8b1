from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from grevin.desktop.light_table.view import FIT, ZOOM_STEPS, View

PICTURE, TABLE = (960.0, 720.0), (800.0, 500.0)


def test_fit_shows_everything_in_the_middle() -> None:
    view = View()
    assert view.scale(PICTURE, TABLE) == pytest.approx(500 / 720)
    left, top = view.origin(PICTURE, TABLE)
    assert top == pytest.approx(0)
    assert left == pytest.approx((800 - 960 * 500 / 720) / 2)


@given(st.floats(0, 800), st.floats(0, 500), st.sampled_from(ZOOM_STEPS), st.sampled_from(ZOOM_STEPS))
def test_zooming_keeps_what_is_under_the_pointer(x: float, y: float, first: float, second: float) -> None:
    view = View(first, 0.5, 0.5)
    left, top = view.origin(PICTURE, TABLE)
    under = ((x - left) / first, (y - top) / first)
    zoomed = view.zoomed(second, (x, y), PICTURE, TABLE)
    new_left, new_top = zoomed.origin(PICTURE, TABLE)
    if 0 < zoomed.x < 1 and 0 < zoomed.y < 1:
        assert ((x - new_left) / second, (y - new_top) / second) == pytest.approx(under)


@given(st.floats(-5000, 5000), st.floats(-5000, 5000))
def test_panning_never_loses_the_picture(dx: float, dy: float) -> None:
    moved = View(2.0).moved(dx, dy, PICTURE, TABLE)
    assert 0 <= moved.x <= 1
    assert 0 <= moved.y <= 1
    assert View().moved(dx, dy, PICTURE, TABLE) == View()


def test_steps_go_up_and_down_the_list() -> None:
    assert View().step(1, PICTURE, TABLE) == 1.0
    assert View().step(-1, PICTURE, TABLE) == 0.5
    assert View(8.0).step(1, PICTURE, TABLE) == 8.0
    assert View(0.25).step(-1, PICTURE, TABLE) == 0.25
    assert View(3.0).zoomed(FIT, (0, 0), PICTURE, TABLE) == View()
