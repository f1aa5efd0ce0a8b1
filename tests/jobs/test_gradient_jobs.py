"""The worked job about a sky in steps, done in the real window: docs/jobs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from pytestqt.qtbot import QtBot

from grevin.core.picture.colour import from_rgb
from grevin.core.picture.frame import Frame
from grevin.demo.fog_reels import fog, fog_reels
from grevin.desktop.window import Window
from tests.conftest import write_video
from tests.desktop.conftest import settle
from tests.jobs.doing import add, part_of, written

LENGTH, MIDDLE = 5, 2
SKY = (160, 40, 480, 320)  # left, top, width, height: px, fog and the roofs below it


def unrounded(frame: Frame, number: int) -> np.ndarray:
    """(H, W) luma code values of the picture as it was before it was rounded to them."""
    left, top, width, height = SKY
    luma = from_rgb(frame, np.clip(fog(number), 0, 1)).planes[0]
    return np.asarray(luma[top : top + height, left : left + width], np.float64)


def test_a_sky_in_steps(qtbot: QtBot, new_window, tmp_path: Path) -> None:
    (reel,) = fog_reels()
    whole = [reel.make(number) for number in range(LENGTH)]
    frames = [part_of(frame, SKY) for frame in whole]
    window: Window = new_window(write_video(tmp_path / "fog.mkv", frames))
    window.session.go(MIDDLE)
    said = add(qtbot, window, "contours")
    assert "steps of 1 code value over" in said
    assert "more than 8 bit" in said
    window.do("one_picture")
    window.do("taken")
    settle(qtbot, window)
    bits = window.output.bits
    window.do("go_output")
    bits.setCurrentIndex(bits.findText("10 bit"))
    bits.activated.emit(bits.currentIndex())
    made = written(qtbot, window, tmp_path / "deeper.mkv")
    assert window.output.result.text().startswith("Proved")
    assert made[0].format.bit_depth == 10
    for number in (0, MIDDLE):
        truth = unrounded(whole[number], number)
        before, after = (
            np.mean(np.square(luma - truth))
            for luma in (frames[number].planes[0].astype(float), made[number].planes[0] / 4.0)
        )
        assert after < before / 2
    bits.setCurrentIndex(bits.findText("as the material"))
    bits.activated.emit(bits.currentIndex())
    again = written(qtbot, window, tmp_path / "as-deep.mkv")
    assert f"of which nothing is left on {LENGTH} as they are rounded" in window.output.result.text()
    assert all(np.array_equal(one.planes[0], two.planes[0]) for one, two in zip(again, frames, strict=True))
