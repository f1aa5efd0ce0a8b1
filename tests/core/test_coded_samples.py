"""Versions in other chroma, levels, depth and fields than their material, as other readers see them."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import av
import av.filter
import numpy as np
import pytest
from pymediainfo import MediaInfo
from skimage.metrics import peak_signal_noise_ratio

from grevin.core.errors import GrevinError, OutputError
from grevin.core.job.document import Reel
from grevin.core.job.orders import Order, carry_out
from grevin.core.media.pixel_layout import lossless_layout, pack, unpack
from grevin.core.media.recoding import recoded
from grevin.core.media.reshaping import Shape, reshaped
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.render.wanted import Wanted
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import write_video
from tests.core.test_codings import COUNT, SD, coded, drawn

WIDE = replace(SD, chroma="4:2:2")
BRIGHTER = 60  # levels by which the lines of the upper field are


@pytest.mark.reference
@pytest.mark.parametrize("coding", ["h264", "h265"])
@pytest.mark.parametrize("chroma", ["4:2:0", "4:2:2", "4:4:4"])
def test_chroma_as_another_reader_sees_it(tmp_path: Path, coding: str, chroma: Any) -> None:
    _, output = coded(tmp_path, WIDE, coding, shape=Shape(chroma=chroma))
    (video,) = MediaInfo.parse(output).video_tracks
    assert video.chroma_subsampling.startswith(chroma)


def test_finer_chroma_keeps_more_of_the_colour(tmp_path: Path) -> None:
    """Stripes of colour a line high: of half the lines nothing is left of them."""
    frames = drawn(WIDE, 4)
    for frame in frames:
        frame.planes[1].flags.writeable = True
        frame.planes[1][0::2], frame.planes[1][1::2] = 90, 160
    source = write_video(tmp_path / "stripes.mkv", frames)
    left = {}
    for chroma in ("usual", "4:2:2"):
        output = tmp_path / f"{chroma[0]}.mp4"
        carry_out(Order(reel=Reel(path=str(source)), output=str(output), chroma=chroma, quality="finest"), Progress())
        with av.open(str(output)) as container:
            blue = next(container.decode(video=0)).reformat(format="yuv422p").to_ndarray(format="yuv422p")
        left[chroma] = float(np.ptp(unpack_chroma(blue, WIDE)[8:-8].mean(axis=1)))
    assert left["usual"] < 10
    assert left["4:2:2"] > 50


def unpack_chroma(planes: np.ndarray, fmt: PictureFormat) -> np.ndarray:
    """The first plane of chroma of a flat array that holds all three one behind the other."""
    flat, luma = planes.reshape(-1), fmt.width * fmt.height
    return flat[luma : luma + luma // 2].reshape(fmt.height, fmt.width // 2).astype(float)


@pytest.mark.reference
@pytest.mark.parametrize("full", [False, True])
@pytest.mark.parametrize("bits", [8, 10])
def test_levels_are_brought_to_the_other_range_as_swscale_does(full: bool, bits: int) -> None:
    """Within one code value of 8 bits: libswscale calculates with fewer digits."""
    fmt = replace(WIDE, full_range=full, bit_depth=bits)
    (frame,) = drawn(fmt, 1)
    made = recoded(frame, replace(fmt, full_range=not full))
    layout = lossless_layout(fmt)
    ranges = {True: "JPEG", False: "MPEG"}
    theirs = pack(frame.planes, fmt, layout).reformat(
        format=layout, src_color_range=ranges[full], dst_color_range=ranges[not full]
    )
    for plane, other in zip(made.planes, unpack(theirs)[0], strict=True):
        assert np.abs(plane.astype(int) - other).max() <= 1 << (bits - 8)


@pytest.mark.parametrize("levels", ["limited", "full"])
@pytest.mark.parametrize("full", [False, True])
def test_levels_in_the_file_and_in_its_tags(tmp_path: Path, full: bool, levels: Any) -> None:
    source, output = write_video(tmp_path / "reel.mkv", drawn(replace(SD, full_range=full), 3)), tmp_path / "a.mp4"
    reel = Reel(path=str(source), declared={"full_range": full})
    carry_out(Order(reel=reel, output=str(output), levels=levels, quality="finest"), Progress())
    with av.open(str(output)) as container:
        frame = next(container.decode(video=0))
        assert int(frame.color_range) == (2 if levels == "full" else 1)
        luma = frame.to_ndarray(format="gray" if levels == "full" else "yuv420p")[: SD.height]
    (right,) = drawn(replace(SD, full_range=full), 1)
    span, offset = (255, 0) if full else (219, 16)
    shown = (right.planes[0].astype(float) - offset) / span
    span, offset = (255, 0) if levels == "full" else (219, 16)
    assert np.abs((luma - offset) / span - np.clip(shown, -16 / 219, 239 / 219)).mean() < 0.02


@pytest.mark.reference
@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
@pytest.mark.parametrize("chroma", ["4:2:2", "4:4:4", "4:1:1"])
def test_the_other_field_first_as_the_filter_of_the_libraries_does(order: Any, chroma: str) -> None:
    """Sample for sample as `fieldorder`, but for the line at the edge: that takes one of the other moment there."""
    fmt = replace(SD, chroma=chroma, field_order=order)
    frame = random_lines(fmt)
    other = "bottom" if order == "top_first" else "top"
    made = reshaped(frame, Shape(first_field=other).format_of(fmt))
    assert made.format.field_order == f"{other}_first"
    graph, layout = av.filter.Graph(), lossless_layout(fmt)
    facts = f"video_size={fmt.width}x{fmt.height}:pix_fmt={layout}:time_base=1/25"
    nodes = [
        graph.add("buffer", facts), graph.add("setfield", "tff" if order == "top_first" else "bff"),
        graph.add("fieldorder", "tff" if other == "top" else "bff"), graph.add("buffersink"),
    ]  # fmt: skip
    for one, following in pairwise(nodes):
        one.link_to(following)
    graph.configure()
    packed = pack(frame.planes, fmt, layout)
    packed.pts = 0
    graph.push(packed)
    theirs = unpack(graph.pull())[0]
    inner, edge = (slice(0, -1), -1) if other == "top" else (slice(1, None), 0)
    for plane, right in zip(made.planes, theirs, strict=True):
        assert np.array_equal(plane[inner], right[inner])
        assert np.array_equal(plane[edge], plane[edge - 2 if edge else 2]), "the nearest line of its field"


def random_lines(fmt: PictureFormat) -> Frame:
    rng = np.random.default_rng(3)
    return Frame(0, fmt, tuple(rng.integers(16, 235, shape).astype(fmt.dtype) for shape in fmt.plane_shapes()))


@pytest.mark.parametrize("chroma", ["4:2:0", "4:2:2"])
def test_what_was_first_is_shown_first_and_its_colour_with_it(tmp_path: Path, chroma: str) -> None:
    """The lower field comes first and is bright and blue; so it is where the upper one comes first."""
    fmt = replace(SD, chroma=chroma, field_order="bottom_first")
    planes = [np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()]
    planes[0][0::2], planes[0][1::2], planes[1][0::2], planes[1][1::2] = 60, 180, 90, 160
    source = write_video(tmp_path / "tape.mkv", [Frame(number, fmt, tuple(planes)) for number in range(COUNT)])
    output = tmp_path / "copy.mov"
    reel = Reel(path=str(source), declared={"field_order": "bottom_first"})
    carry_out(Order(reel=reel, output=str(output), coding="prores-422-hq", first_field="top"), Progress())
    (video,) = MediaInfo.parse(output).video_tracks
    assert video.scan_order == "TFF"
    with av.open(str(output)) as container:
        frame = next(container.decode(video=0))
    luma, blue, _ = unpack(frame)[0]
    assert [round(luma[half::2].mean() / 4) for half in (0, 1)] == pytest.approx([180, 60], abs=2)
    assert [round(blue[half::2].mean() / 4) for half in (0, 1)] == pytest.approx([160, 90], abs=3)


def test_whole_frames_of_fields_for_a_coding_that_has_none(tmp_path: Path) -> None:
    """A disc that moves, its fields half a frame apart: whole frames show it round; the master stays as it is."""
    down, across = np.mgrid[0:144, 0:256]

    def disc(time: float) -> np.ndarray:
        return np.where(np.hypot(across - 60 - 6 * time, down - 72) < 30, 200, 60).astype(np.uint8)

    fmt, frames = replace(SD, field_order="top_first"), []
    for number in range(16):
        luma = disc(number)
        luma[1::2] = disc(number + 0.5)[1::2]
        grey = [np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:]]
        frames.append(Frame(number, fmt, (luma, *grey)))
    source = write_video(tmp_path / "tape.mkv", frames)
    reel = Reel(path=str(source), declared={"field_order": "top_first"})
    wanted = {"coding": "h265", "quality": "finest", "most_lines": 72}
    with pytest.raises(GrevinError, match="Have whole frames made of the fields"):
        carry_out(Order(reel=reel, output=str(tmp_path / "fields.mp4"), **wanted), Progress())
    order = Order(reel=reel, output=str(tmp_path / "whole.mp4"), whole_frames=True, **wanted)
    proof = carry_out(order, Progress())
    assert proof.frames == 16
    with av.open(order.output) as container:
        seen = [frame.to_ndarray(format="gray") for frame in container.decode(video=0)]
    right = np.asarray(disc(8)[::1], float).reshape(72, 2, 128, 2).mean(axis=(1, 3))
    right = (right - 16) * 255 / 219
    assert peak_signal_noise_ratio(right, seen[8].astype(float), data_range=255) > 25


def test_whole_frames_take_the_step_that_is_there(tmp_path: Path) -> None:
    own = TreatmentStep.make("fields", {"rate": "double"})
    treated = Reel(path="x", treatment=Treatment(steps=(own, TreatmentStep.make("dirt"))))
    plain = Reel(path="x", treatment=Treatment(steps=(TreatmentStep.make("pick"), TreatmentStep.make("dirt"))))
    wanted = Wanted(whole_frames=True)
    assert wanted.planned(treated.plan()).treatment_at(0).steps == treated.plan().treatment_at(0).steps
    steps = [step.step for step in wanted.planned(plain.plan()).treatment_at(0).steps]
    assert steps == ["pick", "fields", "dirt"]
    assert wanted.shape == Shape()


@pytest.mark.parametrize(("wanted", "words"), [
    ({"coding": "prores-422", "chroma": "4:2:0"}, "ProRes 422 carries 4:2:2, not 4:2:0"),
    ({"coding": "prores-422", "levels": "full"}, "limited range alone"),
    ({"coding": "av1", "chroma": "4:4:4"}, "AV1 carries 4:2:0, not 4:4:4"),
    ({"coding": "h264", "bits": 10}, "H.264 carries 8 bit, not 10"),
    ({"coding": "h264", "first_field": "top"}, "no two fields"),
    ({"coding": "ffv1", "chroma": "4:2:2"}, "keeps shape, colours and fields"),
])  # fmt: skip
def test_what_cannot_be_is_said_and_leaves_nothing(tmp_path: Path, wanted: dict[str, Any], words: str) -> None:
    source = write_video(tmp_path / "reel.mkv", drawn(SD, 3))
    suffix = {"prores-422": ".mov", "ffv1": ".mkv"}.get(wanted["coding"], ".mp4")
    with pytest.raises(GrevinError, match=words):
        carry_out(Order(reel=Reel(path=str(source)), output=str(tmp_path / f"a{suffix}"), **wanted), Progress())
    assert [path.name for path in tmp_path.iterdir()] == ["reel.mkv"]


def test_deeper_copies_of_shallow_material(tmp_path: Path) -> None:
    _, output = coded(tmp_path, SD, "h265", bits=10)
    (video,) = MediaInfo.parse(output).video_tracks
    assert video.bit_depth == 10
    with pytest.raises(OutputError, match="8 or 10 bit, not 12"):
        coded(tmp_path, SD, "h265", bits=12, overwrite=True)
