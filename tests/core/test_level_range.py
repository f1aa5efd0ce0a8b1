"""EBU R 103 (version 3): preferred levels are -5 to 105 %, 5 to 246 of 8 bit and 20 to 984 of 10 (table 1)."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from grevin.core.measure.level_range import outside_range
from grevin.core.media.opening import open_reel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment
from tests.conftest import moving_frames, write_video


def grey(level: int, bits: int, chroma: str = "4:2:0") -> Frame:
    fmt = PictureFormat(16, 16, "yuv", bits, chroma=chroma)
    middle = 128 << (bits - 8)
    planes = [
        np.full(shape, level if place == 0 else middle, fmt.dtype) for place, shape in enumerate(fmt.plane_shapes())
    ]
    return Frame(0, fmt, tuple(planes))


@pytest.mark.parametrize(("bits", "low", "high"), [(8, 5, 246), (10, 20, 984)])
def test_the_edges_are_those_of_the_table(bits: int, low: int, high: int) -> None:
    assert [outside_range(grey(level, bits)) for level in (low, high)] == [0.0, 0.0]
    # a code value of 10 bit is a fourth of one of 8: the table rounds to whole ones of 8 bit
    step = 1 if bits == 8 else 4
    assert [outside_range(grey(level, bits)) for level in (low - step, high + step)] == [1.0, 1.0]


def test_colours_that_no_screen_shows_are_outside_though_luma_is_not() -> None:
    frame = grey(120, 8)
    blue = frame.planes[1].copy()
    blue[:, :4] = 240
    assert outside_range(frame.with_planes((frame.planes[0], blue, frame.planes[2]))) == 0.5


def test_other_models_are_judged_by_their_own_scale() -> None:
    full = PictureFormat(8, 8, "rgb", 8, full_range=True)
    planes = tuple(np.full((8, 8), level, np.uint8) for level in (0, 128, 255))
    assert outside_range(Frame(0, full, planes)) == 0.0
    limited = PictureFormat(8, 8, "grey", 8)
    assert outside_range(Frame(0, limited, (np.full((8, 8), 250, np.uint8),))) == 1.0
    half = PictureFormat(8, 8, "rgb", 16, full_range=True, sample="half")
    assert outside_range(Frame(0, half, tuple(np.full((8, 8), 9.0, np.float16) for _ in range(3)))) == 0.0


def test_a_run_tells_of_frames_that_leave_the_range(tmp_path: Path) -> None:
    clean = moving_frames(6)
    frames = [clean.frame(number) for number in range(6)]
    luma = frames[3].planes[0].copy()
    luma[:30] = 255
    frames[3] = frames[3].with_planes((luma, *frames[3].planes[1:]))
    reel = open_reel(write_video(tmp_path / "a.mkv", frames))
    proof = run(reel, Plan.whole(Treatment()), RunRequest(tmp_path / "b.mkv", range(6)), Progress())
    assert proof.out_of_range == (1, pytest.approx(0.25, abs=0.02), 3)
    assert "EBU R 103), most on frame 3 (25%)" in " ".join(proof.notes)
    within = run(reel, Plan.whole(Treatment()), RunRequest(tmp_path / "c.mkv", range(3)), Progress())
    assert within.out_of_range == (0, 0.0, 0)
    assert "R 103" not in " ".join(within.notes)
