"""Codings for further work and for looking: right as other readers see them, each frame in its place, loss told."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import av.filter
import numpy as np
import pytest

from grevin.core.errors import GrevinError, OutputError, ProofError, UsageError
from grevin.core.intake.declared import Declared
from grevin.core.intake.reel import DeclaredReel
from grevin.core.media.codings import CODINGS, QUALITIES, coding_for
from grevin.core.media.opening import open_reel
from grevin.core.media.recoding import recoded
from grevin.core.picture.colour import to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr
from grevin.core.render.coded import Coded
from grevin.core.render.proof import Proof
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.plan import Plan, TreatedReel
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames, random_frame, write_video

COUNT = 12
LOSSY = [coding for coding in CODINGS.values() if not coding.lossless]
FIELDS = [coding for coding in CODINGS.values() if coding.fields]
SHAPE = Fraction(16, 15)
# ITU-T H.273, tables 2 to 4: BT.601 of 525 lines, which so few lines are taken for
TAGS_525 = (6, 6, 6, 1)


def drawn(fmt: PictureFormat, count: int = COUNT) -> list[Frame]:
    """Soft colours that move."""
    down, across = np.mgrid[0 : fmt.height, 0 : fmt.width]
    frames = []
    for number in range(count):
        values = [
            0.5 + 0.3 * np.sin((across + 3 * number) / 17.0), 0.5 + 0.25 * np.cos((down + across) / 23.0),
            0.5 + 0.25 * np.sin((down - 2 * number) / 19.0),
        ]  # fmt: skip
        planes = []
        for place, (height, width) in enumerate(fmt.plane_shapes()):
            rows, columns = -(-fmt.height // height), -(-fmt.width // width)
            plane = values[min(place, 2)][::rows, ::columns]
            planes.append(np.rint(plane * fmt.max_code).astype(fmt.dtype))
        frames.append(Frame(number, fmt, tuple(planes)))
    return frames


SD = PictureFormat(256, 144, "yuv", 8, chroma="4:2:0", pixel_aspect=SHAPE, rate=Fraction(25), field_order="progressive")


def coded(tmp_path: Path, fmt: PictureFormat, coding: str, **more) -> tuple[Proof, Path]:
    """The proof, and the file, of a plain copy in a coding; the source plays sound and has a timecode."""
    source, suffix = tmp_path / "source.mkv", CODINGS[coding].suffix
    frames, stripes = drawn(fmt), more.pop("stripes", 0)
    for frame in frames if stripes else ():
        frame.planes[0].flags.writeable = True
        frame.planes[0][0::2] = np.clip(frame.planes[0][0::2], 0, 255 - stripes) + stripes
    write_video(source, frames, sound=True)
    shape = f"{fmt.pixel_aspect.numerator}:{fmt.pixel_aspect.denominator}"
    said = Declared(pixel_aspect=shape, field_order=fmt.field_order, timecode="10:00:00:00")
    reel = DeclaredReel(open_reel(source), said)
    output = tmp_path / f"out{suffix}"
    request = RunRequest(output, range(COUNT), coding=coding, **more)
    return run(reel, Plan.whole(Treatment()), request, Progress()), output


@pytest.mark.parametrize("coding", CODINGS)
def test_others_read_what_was_written(tmp_path: Path, coding: str) -> None:
    """Count, rate, pixel shape, tags, timecode, sound: through the FFmpeg libraries alone."""
    proof, output = coded(tmp_path, SD, coding)
    assert proof.frames == COUNT
    with av.open(str(output)) as container:
        stream = container.streams.video[0]
        frames = list(container.decode(stream))
        assert len(frames) == COUNT
        assert stream.average_rate == 25
        assert stream.sample_aspect_ratio == SHAPE
        assert stream.start_time in {0, None}
        times = [float(frame.pts * frame.time_base) for frame in frames]
        assert np.allclose(times, np.arange(COUNT) / 25, atol=0.002)
        tags = [(f.colorspace, f.color_primaries, f.color_trc, f.color_range) for f in frames]
        if CODINGS[coding].lossless:
            assert set(tags) == {(2, 2, 2, 0)}, "the material names none"
        elif coding.startswith("dnxhr"):
            assert {one[1:] for one in tags} == {TAGS_525[1:]}, "its frames can only name BT.709 and BT.2020 matrices"
        else:
            assert set(tags) == {TAGS_525}
        assert not any(frame.interlaced_frame for frame in frames)
        assert {name.lower(): value for name, value in stream.metadata.items()}["timecode"] == "10:00:00:00"
        (sound,) = container.streams.audio
        assert sound.codec_context.name == {".mp4": "aac"}.get(output.suffix, "pcm_s16le")
    with av.open(str(output)) as container:
        samples = sum(frame.samples for frame in container.decode(container.streams.audio[0]))
    assert samples == pytest.approx(COUNT * 48000 / 25, abs=1024)
    assert ("made anew as AAC" in " ".join(proof.notes)) == (output.suffix == ".mp4")


@pytest.mark.parametrize("coding", [one.id for one in LOSSY])
def test_the_loss_is_told_and_the_colours_are_right(tmp_path: Path, coding: str) -> None:
    proof, output = coded(tmp_path, SD, coding, quality="finest")
    mean, least, frame = proof.coded_db
    assert 40 < least <= mean <= 99
    assert 0 <= frame < COUNT
    assert f"{CODINGS[coding].label} costs some of every picture: {mean:.1f} dB" in proof.sentence()
    assert proof.data()["coding"] == CODINGS[coding].label
    reader = open_reel(output)
    assert reader.format.bit_depth in (*CODINGS[coding].bits, 12), "10 bit of ProRes 4444 are read as 12"
    right = drawn(SD)
    for number in range(COUNT):
        apart = to_rgb(reader.frame(number)) - to_rgb(right[number])
        assert np.sqrt(np.square(apart * 255).mean()) < 4
        assert np.abs((apart * 255).mean(axis=(0, 1))).max() < 0.7, "no shift of any channel"


def test_qualities_differ_and_deeper_material_keeps_its_depth_where_that_goes(tmp_path: Path) -> None:
    sizes = []
    for quality in QUALITIES:
        proof, output = coded(tmp_path, SD, "h264", quality=quality, overwrite=True)
        sizes.append((output.stat().st_size, proof.coded_db[0]))
    assert sizes == sorted(sizes, reverse=True)
    deep = replace(SD, bit_depth=10)
    assert open_reel(coded(tmp_path, deep, "h265", overwrite=True)[1]).format.bit_depth == 10
    assert open_reel(coded(tmp_path, deep, "h264", overwrite=True)[1]).format.bit_depth == 8


@pytest.mark.parametrize("coding", [one.id for one in FIELDS])
@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
def test_interlaced_pictures_are_marked_so_in_the_file_and_on_every_frame(tmp_path: Path, coding: str, order) -> None:
    _, output = coded(tmp_path, replace(SD, field_order=order), coding, stripes=60)
    with av.open(str(output)) as container:
        stream = container.streams.video[0]
        frames = list(container.decode(stream))
        assert all(frame.interlaced_frame for frame in frames)
        first, second = fields_of(frames[5], stream)
    bright, dark = (first, second) if order == "top_first" else (second, first)
    assert bright.mean() > 1.3 * dark.mean(), "the upper lines of these pictures are bright, the others dark"


def fields_of(frame: av.VideoFrame, stream) -> tuple[np.ndarray, np.ndarray]:
    """The fields of a frame in the order in which they play, as the libraries' own filter takes them apart."""
    graph = av.filter.Graph()
    nodes = [graph.add_buffer(template=stream), graph.add("separatefields"), graph.add("buffersink")]
    nodes[0].link_to(nodes[1])
    nodes[1].link_to(nodes[2])
    graph.configure()
    graph.push(frame)
    graph.push(None)
    found = []
    for _ in range(2):
        field = graph.pull()
        dtype = np.uint8 if field.format.components[0].bits == 8 else np.uint16
        lines = np.frombuffer(field.planes[0], dtype).reshape(-1, field.planes[0].line_size // np.dtype(dtype).itemsize)
        found.append(lines[: field.height, : field.width].astype(float))
    return found[0], found[1]


CANNOT = [
    ("h265", replace(SD, field_order="top_first"), "carries no interlaced pictures"),
    ("dnxhr-hq", replace(SD, field_order="bottom_first"), "carries no interlaced pictures"),
    ("h264", replace(SD, width=255), "sizes that divide by 2; this picture is 255 x 144"),
    ("prores-422", replace(SD, width=257, chroma="4:4:4"), "sizes that divide by 2"),
    ("h264", PictureFormat(64, 48, "rgb", 16, full_range=True, sample="half"), "floating-point"),
]


@pytest.mark.parametrize(("coding", "fmt", "words"), CANNOT)
def test_what_a_coding_cannot_carry_is_said_with_what_can(coding: str, fmt: PictureFormat, words: str) -> None:
    with pytest.raises(OutputError, match=words) as fault:
        CODINGS[coding].format_of(fmt)
    assert fault.value.hint


def test_nothing_is_left_where_a_coding_is_refused(tmp_path: Path) -> None:
    with pytest.raises(GrevinError, match="carries no interlaced"):
        coded(tmp_path, replace(SD, field_order="top_first"), "av1")
    assert [path.name for path in tmp_path.iterdir()] == ["source.mkv"]


def test_a_size_that_cannot_be_coded_is_refused_before_anything_is_studied(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    source = write_video(tmp_path / "s.mkv", [moving_frames(4).frame(n) for n in range(4)])
    steps = (TreatmentStep.make("flicker"), TreatmentStep.make("reframe", {"width": 151, "height": 90}))
    monkeypatch.setattr(TreatedReel, "prepare", lambda *_: pytest.fail("studied"))
    with pytest.raises(OutputError, match="this picture is 151 x 90"):
        run(open_reel(source), Plan.whole(Treatment(steps=steps)), RunRequest(tmp_path / "o.mp4", range(4)), Progress())


def test_names_and_codings_have_to_agree() -> None:
    assert [coding_for(Path(name)).id for name in ("a.mkv", "a.MOV", "a.mp4")] == ["ffv1", "prores-422-hq", "h264"]
    with pytest.raises(UsageError, match="There is no coding “h263”"):
        coding_for(Path("a.mp4"), "h263")
    with pytest.raises(UsageError, match="H.264 is written into .mp4 files"):
        coding_for(Path("a.mkv"), "h264")
    with pytest.raises(UsageError, match="“a.avi” is not one that Grevin writes"):
        coding_for(Path("a.avi"))


def test_a_treated_picture_is_what_is_coded(tmp_path: Path) -> None:
    source = write_video(tmp_path / "s.mkv", [moving_frames(COUNT).frame(n) for n in range(COUNT)])
    steps = (TreatmentStep.make("light", {"exposure_stops": -1.0}),)
    output = tmp_path / "dark.mp4"
    proof = run(open_reel(source), Plan.whole(Treatment(steps=steps)), RunRequest(output, range(2, 9)), Progress())
    assert proof.reshaped == proof.frames == 7
    dark, bright = open_reel(output).frame(3), open_reel(source).frame(5)
    assert dark.planes[0].mean() < bright.planes[0].mean() - 20


# other formats


@pytest.mark.parametrize("source", [
    PictureFormat(64, 48, "rgb", 8, full_range=True), PictureFormat(64, 48, "rgb", 16, alpha=True, full_range=True),
    PictureFormat(64, 48, "grey", 8, full_range=True), PictureFormat(64, 48, "yuv", 8, chroma="4:4:4", full_range=True),
    PictureFormat(64, 48, "yuv", 10, chroma="4:1:1"), PictureFormat(64, 48, "yuv", 8, chroma="4:2:0", matrix="bt709"),
], ids=lambda fmt: f"{fmt.model}{fmt.chroma}{fmt.bit_depth}")  # fmt: skip
@pytest.mark.parametrize("coding", ["prores-422", "prores-4444", "h264"])
def test_colours_stay_through_any_change_of_format(source: PictureFormat, coding: str) -> None:
    """Patches of plain colour, far from their borders, against our own conversion to R'G'B'."""
    from grevin.core.picture.depth import in_depth

    rng = np.random.default_rng(2)
    low, high = (
        (0, source.max_code) if source.full_range else (64 << (source.bit_depth - 8), 180 << (source.bit_depth - 8))
    )
    planes = []
    for height, width in source.plane_shapes():
        patches = rng.integers(low, high, (3, 2))
        planes.append(
            np.repeat(np.repeat(patches, -(-height // 3), 0), -(-width // 2), 1)[:height, :width].astype(source.dtype)
        )
    frame = in_depth(Frame(0, source, tuple(planes)), CODINGS[coding].bits_for(source))
    target = CODINGS[coding].format_of(frame.format)
    made = recoded(frame, target)
    assert made.format == target
    middles = np.ix_([8, 24, 40], [16, 48])
    before, after = np.clip(to_rgb(frame), 0, 1)[middles], np.clip(to_rgb(made), 0, 1)[middles]
    assert np.abs(before - after).max() * 255 < 2.0
    assert recoded(made, target) is made


def test_fields_of_different_colour_do_not_run_into_each_other() -> None:
    fmt = PictureFormat(32, 32, "yuv", 10, chroma="4:2:2", field_order="top_first")
    planes = [np.full(shape, 500, np.uint16) for shape in fmt.plane_shapes()]
    planes[1][0::2], planes[1][1::2] = 300, 700
    target = CODINGS["h264"].format_of(fmt)
    made = recoded(Frame(0, fmt, tuple(planes)), replace(target, bit_depth=10))
    assert set(np.unique(made.planes[1][0::2])) == {300}
    assert set(np.unique(made.planes[1][1::2])) == {700}


def test_a_frame_in_the_wrong_place_is_noticed() -> None:
    frames = drawn(SD)
    held = Coded(range(100, 100 + COUNT), (0, 0))
    for frame in frames:
        held.remember(frame)
    held.compare(0, frames[0])
    with pytest.raises(ProofError, match="Frame 104 does not read back"):
        held.compare(4, random_frame(SD))
    noisy = frames[1].with_planes((frames[1].planes[0] ^ 1, *frames[1].planes[1:]))
    held.compare(1, noisy)
    assert held.decibels == (
        pytest.approx((99 + psnr(1.0, 1)) / 2, abs=0.01),
        pytest.approx(psnr(1.0, 1), abs=0.01),
        101,
    )
