"""The curves of a shot, as they are drawn and told."""

from __future__ import annotations

import numpy as np
from pytestqt.qtbot import QtBot

from grevin.core.steps.charting import Chart, Line
from grevin.desktop.treatment_path.shot_chart import RIM, CurvesOfShot
from grevin.desktop.work.looks import ShotLook


def test_nothing_is_drawn_nor_told_across_frames_of_which_nothing_is_known(qtbot: QtBot) -> None:
    values = np.tile(np.array([-8.0, 8.0], np.float32), 30)
    values[20:40] = np.nan
    found = Chart("light", "levels", (Line("light of the frame", values),))
    chart = CurvesOfShot()
    qtbot.addWidget(chart)
    chart.resize(2 * RIM + 590, chart.height())  # ten px a frame
    chart.show_shot(ShotLook(55, 0, found, None, (), False))
    assert "light of the frame 8.0 levels" in chart.accessibleName()
    picture = chart.grab().toImage()
    middle = chart.height() // 2
    ground = picture.pixelColor(RIM + 300, middle)

    def drawn(first: int, last: int) -> bool:
        return any(picture.pixelColor(RIM + x, middle) != ground for x in range(10 * first, 10 * last))

    assert drawn(15, 19)
    assert not drawn(20, 39)
    assert drawn(41, 45)
    chart.show_shot(ShotLook(30, 0, found, None, (), False))
    assert "light of the frame not told" in chart.accessibleName()
