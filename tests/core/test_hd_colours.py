"""Colours of standard definition in those of high definition: published matrices, and as another reader sees them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pytest

from grevin.core.errors import OutputError
from grevin.core.job.document import Reel
from grevin.core.job.orders import Order, carry_out
from grevin.core.media.codings import CODINGS
from grevin.core.media.opening import open_reel
from grevin.core.media.recoding import recoded
from grevin.core.media.reshaping import Shape
from grevin.core.picture.colour import from_rgb, to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.primaries import BT470BG, BT709, BT2020, SMPTE_C, between, in_primaries
from grevin.core.progress import Progress
from tests.conftest import write_video

SD = PictureFormat(64, 48, "yuv", 10, chroma="4:4:4", matrix="bt601")
TAPE_625, TAPE_525 = (5, 5, 6, 1), (6, 6, 6, 1)


@pytest.mark.reference
def test_the_published_matrix_between_hd_and_uhd() -> None:
    """ITU-R BT.2087-0, annex 1: linear R, G, B of BT.709 in those of BT.2020."""
    published = [[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.0880, 0.8956]]
    np.testing.assert_allclose(between(BT709, BT2020), published, atol=6e-5)


@pytest.mark.reference
def test_the_published_matrix_between_525_lines_and_hd() -> None:
    """SMPTE RP 177's derivation for SMPTE C in BT.709, as the literature prints it (from memory)."""
    published = [[0.939542, 0.050181, 0.010277], [0.017772, 0.965793, 0.016435], [-0.001622, -0.004370, 1.005991]]
    np.testing.assert_allclose(between(SMPTE_C, BT709), published, atol=1e-4)


def test_white_stays_white_and_the_way_back_leads_back() -> None:
    for old in (BT470BG, SMPTE_C, BT2020):
        np.testing.assert_allclose(between(old, BT709) @ np.ones(3), 1.0, atol=1e-9)
    rgb = np.random.default_rng(1).random((8, 8, 3)).astype(np.float32)
    there = in_primaries(rgb, SMPTE_C, BT709)
    assert np.abs(there - rgb).max() > 0.01
    np.testing.assert_allclose(in_primaries(there, BT709, SMPTE_C), rgb, atol=1e-4)


@pytest.mark.parametrize("tags", [TAPE_625, TAPE_525])
def test_the_same_light_is_coded_otherwise(tags: tuple[int, int, int, int]) -> None:
    """Decoded by the other matrix and from the other primaries, the colours are those of the source."""
    fmt = replace(SD, colour_tags=tags)
    rgb = (0.15 + 0.7 * np.random.default_rng(2).random((48, 64, 3))).astype(np.float32)
    blank = Frame(0, fmt, tuple(np.zeros(shape, np.uint16) for shape in fmt.plane_shapes()))
    frame = from_rgb(blank, rgb).rounded()
    target = CODINGS["prores-4444"].format_of(Shape(colours="bt709").format_of(fmt))
    assert (target.matrix, target.colour_tags[:3]) == ("bt709", (1, 1, 1))
    made = recoded(frame, target)
    assert np.abs(to_rgb(made) - to_rgb(frame)).max() > 0.01
    there = in_primaries(to_rgb(made), BT709, tags[1])
    np.testing.assert_allclose(there, to_rgb(frame), atol=0.004)


def test_what_reaches_farther_than_hd_is_refused_with_the_way_out() -> None:
    for fmt in (
        replace(SD, matrix="bt2020"),
        replace(SD, colour_tags=(9, 9, 16, 1)),
        replace(SD, colour_tags=(1, 1, 18, 1)),
    ):
        with pytest.raises(OutputError, match=r"reach farther than those of BT\.709"):
            Shape(colours="bt709").format_of(fmt)


@pytest.mark.reference
@pytest.mark.parametrize("coding", ["h264", "prores-422", "dnxhr-hq"])
def test_a_copy_in_colours_of_hd_as_the_ffmpeg_libraries_see_it(tmp_path: Path, coding: str) -> None:
    """Bars of 75 %: what the libraries decode, in R'G'B' by BT.709-6 item 3.2, has the published primaries."""
    bars = np.array(
        [[1, 1, 1], [1, 1, 0], [0, 1, 1], [0, 1, 0], [1, 0, 1], [1, 0, 0], [0, 0, 1], [0, 0, 0]], np.float32
    )
    rgb = np.repeat(np.repeat(0.75 * bars[None], 240, axis=0), 40, axis=1)
    fmt = PictureFormat(320, 240, "yuv", 8, chroma="4:2:2", matrix="bt601", colour_tags=TAPE_625)
    blank = Frame(0, fmt, tuple(np.zeros(shape, np.uint8) for shape in fmt.plane_shapes()))
    frame = from_rgb(blank, rgb).rounded()
    source = write_video(
        tmp_path / "bars.mkv", [frame.with_number(n) for n in range(3)], colorspace=5, color_primaries=5, color_trc=6
    )
    output = tmp_path / f"copy{CODINGS[coding].suffix}"
    order = Order(reel=Reel(path=str(source)), output=str(output), coding=coding, quality="finest", colours="bt709")
    carry_out(order, Progress())
    assert open_reel(output).format.matrix == "bt709"
    with av.open(str(output)) as held:
        shown = next(held.decode(video=0))
        assert (int(shown.colorspace), int(shown.color_primaries), int(shown.color_trc)) == (1, 1, 1)
        bits = shown.format.components[0].bits
        code = np.uint8 if bits == 8 else np.uint16
        luma, blue, red = (
            np.frombuffer(plane, code).reshape(plane.height, -1)[plane.height // 2] for plane in shown.planes
        )
    scale = 1 << (bits - 8)
    wanted = in_primaries(0.75 * bars[None], BT470BG, BT709)[0]
    for place, colour in enumerate(wanted):
        y = (luma[40 * place + 20] / scale - 16) / 219
        cb, cr = ((plane[20 * place + 10] / scale - 128) / 224 for plane in (blue, red))
        seen = y + 1.5748 * cr, y - 0.1873 * cb - 0.4681 * cr, y + 1.8556 * cb
        np.testing.assert_allclose(seen, colour, atol=0.02)
