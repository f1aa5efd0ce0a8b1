"""Scopes against published code values of colour bars, and against another library's arithmetic."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from grevin.core.measure.area import Box, read_box, read_point
from grevin.core.measure.scope_pictures import GROUND, scope_picture
from grevin.core.measure.scopes import (
    HIGHEST,
    LOWEST,
    SCOPES,
    bar_targets,
    histogram,
    take_samples,
    trace,
    value_row,
    vector_place,
    vectorscope,
    waveform,
)  # fmt: skip
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from tests.conftest import FORMATS, random_frame

# 8-bit Y, Cb, Cr of 100/0/75/0 bars (EBU bars, ITU-R BT.471-1 levels coded by BT.601; values from memory).
BARS_601 = {
    "white": (235, 128, 128), "yellow": (162, 44, 142), "cyan": (131, 156, 44), "green": (112, 72, 58),
    "magenta": (84, 184, 198), "red": (65, 100, 212), "blue": (35, 212, 114), "black": (16, 128, 128),
}  # fmt: skip
# The same coded by BT.709 (bars of SMPTE RP 219's colours; values from memory).
BARS_709 = {
    "yellow": (168, 44, 136), "cyan": (145, 147, 44), "green": (133, 63, 52), "magenta": (63, 193, 204),
    "red": (51, 109, 212), "blue": (28, 212, 120),
}  # fmt: skip
COLOURS = {"yellow": (1, 1, 0), "cyan": (0, 1, 1), "green": (0, 1, 0), "magenta": (1, 0, 1), "red": (1, 0, 0),
    "blue": (0, 0, 1)}  # fmt: skip
SIZE = 400
BOX_PX = 4  # half the width of a target drawn on a scope of this size and up


def bars(values: dict[str, tuple[int, int, int]], matrix: str, chroma: str = "4:4:4") -> Frame:
    fmt = PictureFormat(32 * len(values), 40, "yuv", 8, chroma=chroma, matrix=matrix)
    planes = []
    for index, shape in enumerate(fmt.plane_shapes()):
        wide = shape[1] // len(values)
        line = np.repeat([codes[index] for codes in values.values()], wide).astype(np.uint8)
        planes.append(np.tile(line, (shape[0], 1)))
    return Frame(0, fmt, tuple(planes))


@pytest.mark.reference
@pytest.mark.parametrize(("values", "matrix"), [(BARS_601, "bt601"), (BARS_709, "bt709")])
@pytest.mark.parametrize("chroma", ["4:4:4", "4:2:2", "4:2:0"])
def test_colour_bars_land_in_their_boxes(values: dict[str, tuple[int, int, int]], matrix: str, chroma: str) -> None:
    frame = bars(values, matrix, chroma)
    counts = vectorscope(take_samples(frame), SIZE)
    targets = bar_targets(matrix)
    for name, (blue, red) in targets.items():
        column, row = (int(place) for place in vector_place(blue, red, SIZE))
        near = counts[row - BOX_PX : row + BOX_PX + 1, column - BOX_PX : column + BOX_PX + 1]
        assert near.sum() >= counts.sum() / len(values) * 0.99, name
    lit = np.count_nonzero(counts)
    assert lit == len(values) - (1 if "white" in values else 0), "one point a bar; white and black share the middle"


@pytest.mark.filterwarnings("ignore")
@pytest.mark.reference
@pytest.mark.parametrize(("matrix", "name"), [("bt601", "ITU-R BT.601"), ("bt709", "ITU-R BT.709"),
    ("bt2020", "ITU-R BT.2020")])  # fmt: skip
def test_targets_agree_with_colour_science(matrix: str, name: str) -> None:
    import colour

    for bar, rgb in COLOURS.items():
        theirs = colour.RGB_to_YCbCr(
            0.75 * np.array(rgb, float), K=colour.WEIGHTS_YCBCR[name], in_legal=False, out_legal=False
        )
        np.testing.assert_allclose(bar_targets(matrix)[bar], theirs[1:], atol=1e-12)


@pytest.mark.reference
def test_waveforms_show_the_bars_levels() -> None:
    frame = bars(BARS_601, "bt601")
    samples = take_samples(frame)
    height = 240
    luma = waveform(samples.column, samples.luma, len(BARS_601), height)
    for column, (name, codes) in enumerate(BARS_601.items()):
        row = int(luma[:, column].argmax())
        assert row == int(value_row((codes[0] - 16) / 219, height)), name
        assert luma[row, column] == luma[:, column].sum()
    for index, channel in enumerate(samples.colours):  # 100/0/75/0: every colour is at 75 % or at 0
        wave = waveform(samples.column, channel, len(BARS_601), height)
        for column, name in enumerate(BARS_601):
            level = {"white": 1.0, "black": 0.0}.get(name, 0.75 * COLOURS.get(name, (0, 0, 0))[index])
            row = int(wave[:, column].argmax())
            assert abs(row - int(value_row(level, height))) <= 2, (name, index)  # codes are rounded to whole ones


def test_scales_are_those_of_the_recommendations() -> None:
    assert int(value_row(HIGHEST, 120)) == 0
    assert int(value_row(LOWEST, 120)) == 119
    assert [int(value_row(level, 1200)) for level in (1.0, 0.5, 0.0)] == [100, 600, 1100]
    assert [int(place) for place in vector_place(0.0, 0.0, 200)] == [100, 100]
    assert [int(place) for place in vector_place(9.0, 9.0, 200)] == [199, 0]
    counts = histogram(np.array([0.01, 0.51, 0.51, 2.0], np.float32), 12)
    assert counts.tolist() == [0, 1, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1]


@pytest.mark.parametrize("fmt", [*FORMATS, PictureFormat(48, 32, "rgb", 16, sample="half", full_range=True)])
def test_every_format_can_be_measured(fmt: PictureFormat) -> None:
    rng = np.random.default_rng(1)
    floats = tuple(rng.random((32, 48)).astype(np.float16) for _ in range(3))
    frame = Frame(0, fmt, floats) if fmt.sample == "half" else random_frame(fmt)
    for kind in SCOPES:
        picture = scope_picture(take_samples(frame), kind, (180, 90))
        assert picture.shape == (90, 180, 4)
        assert (picture[..., :3] != GROUND).any()
    readings = read_box(frame, Box(3, 3, 9, 7))
    assert len(readings) == fmt.colour_planes
    for reading, plane in zip(readings, frame.planes, strict=False):
        assert reading.low <= reading.mean <= reading.high
        if plane.shape == (fmt.height, fmt.width):
            part = plane[3:10, 3:12].astype(float)
            assert (reading.mean, reading.spread) == pytest.approx((part.mean(), part.std()))


def test_a_box_is_measured_alone() -> None:
    frame = bars(BARS_601, "bt601")
    names = list(BARS_601)
    inside = Box(32 * names.index("red") + 4, 5, 20, 20)
    assert np.count_nonzero(vectorscope(take_samples(frame, inside), SIZE)) == 1
    red = read_box(frame, inside)
    assert [reading.mean for reading in red] == [65, 100, 212]
    assert [round(reading.percent, 1) for reading in red] == [22.4, -12.5, 37.5]
    assert [reading.channel for reading in red] == ["Y'", "Cb", "Cr"]
    assert read_point(frame, 0, 0)[0].percent == 100.0
    full = replace(frame.format, full_range=True)
    assert read_point(Frame(0, full, frame.planes), 0, 0)[0].percent == pytest.approx(100 * 235 / 255)


def test_boxes_are_whole_pixels_inside_the_picture() -> None:
    fmt = PictureFormat(100, 50, "grey", 8)
    assert Box.between((10.2, 5.9), (12.7, 7.1), fmt) == Box(10, 5, 3, 3)
    assert Box.between((12.7, 7.1), (10.2, 5.9), fmt) == Box(10, 5, 3, 3)
    assert Box.between((-20, -5), (500, 500), fmt) == Box(0, 0, 100, 50)
    assert Box.between((120, 60), (130, 70), fmt) == Box(99, 49, 1, 1)
    assert Box(90, 40, 10, 10).fits(fmt)
    assert not Box(90, 41, 10, 10).fits(fmt)


def test_a_trace_keeps_single_points_visible() -> None:
    counts = np.zeros((4, 4), np.int64)
    assert not trace(counts).any()
    counts[0, 0], counts[1, 1] = 1, 100_000
    drawn = trace(counts)
    assert drawn[0, 0] >= 70
    assert drawn[1, 1] == 255
    assert drawn[2, 2] == 0
