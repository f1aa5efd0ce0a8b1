"""Taking in: what is found, what is measured, what is declared, and where they contradict each other."""

from __future__ import annotations

import contextlib
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from grevin.core.errors import UsageError
from grevin.core.intake.declared import Declared, declare, parse_pixel_aspect
from grevin.core.intake.examination import Examination, contradictions, examine
from grevin.core.intake.found import aspect_text, facts
from grevin.core.intake.naming import names_by_pattern
from grevin.core.intake.reel import DeclaredReel
from grevin.core.job.document import JOB_VERSION, Job, Reel, migrated
from grevin.core.job.findings import Finding
from grevin.core.job.job_file import JobFile
from grevin.core.measure.fields import FieldVotes, vote
from grevin.core.media.opening import open_reel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment
from tests.conftest import FORMATS, moving_frames, random_frame, write_video

PLAIN = Examination(scan="progressive", votes=(20, 0, 0, 4), outside=0.0, lowest=16, highest=235)


def interlaced(order: str, frames: int = 12) -> list[Frame]:
    """Fields of different moments woven together, from a picture that moves steadily."""
    whole = moving_frames(2 * frames, speed=3.0)
    fmt = replace(whole.format, field_order="progressive")
    woven = []
    for number in range(frames):
        first, second = (whole.frame(2 * number + late).planes for late in (0, 1))
        top, bottom = (first, second) if order == "top_first" else (second, first)
        planes = []
        for a, b in zip(top, bottom, strict=True):
            plane = a.copy()
            plane[1::2] = b[1::2]
            planes.append(plane)
        woven.append(Frame(number, fmt, tuple(planes)))
    return woven


@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
def test_combing_is_seen_and_contradicts_the_flag(order: str, tmp_path: Path) -> None:
    reel = open_reel(write_video(tmp_path / "a.mkv", interlaced(order), field_order=1))
    assert reel.format.field_order == "progressive"
    examined = examine(reel, Progress())
    assert examined.scan == order
    sentences = contradictions(reel.format, examined)
    assert len(sentences) == 1
    assert sentences[0].startswith("The reel is taken for progressive, but the picture shows combing: interlaced, ")
    declared = DeclaredReel(reel, Declared(field_order=order))
    assert contradictions(declared.format, examined) == ()


def test_progressive_pictures_do_not_comb(tmp_path: Path) -> None:
    source = moving_frames(20, speed=3.0)
    reel = open_reel(write_video(tmp_path / "a.mkv", [source.frame(n) for n in range(20)], field_order=2))
    examined = examine(reel, Progress())
    assert examined.scan == "progressive"
    assert "shows no combing: progressive" in contradictions(reel.format, examined)[0]
    still = np.full((40, 60), 90, np.uint8)
    assert vote(still, still) == "unknown"
    assert FieldVotes(1, 1, 0, 9).scan == "unknown"


@pytest.mark.reference
def test_field_order_agrees_with_idet(tmp_path: Path) -> None:
    """FFmpeg's idet filter over the same woven pictures comes to the same order."""
    for order, key in (("top_first", "tff"), ("bottom_first", "bff")):
        path = write_video(tmp_path / f"{key}.mkv", interlaced(order, 24))
        with av.open(str(path)) as container:
            stream = container.streams.video[0]
            graph = av.filter.Graph()
            source, idet, sink = graph.add_buffer(template=stream), graph.add("idet"), graph.add("buffersink")
            source.link_to(idet)
            idet.link_to(sink)
            graph.configure()
            last = None
            for frame in container.decode(stream):
                graph.push(frame)
                with contextlib.suppress(BlockingIOError):  # the filter looks one frame ahead
                    last = graph.pull()
        assert last is not None
        assert float(last.metadata[f"lavfi.idet.multiple.{key}"]) > 20
        assert examine(open_reel(path), Progress()).scan == order


def test_full_range_in_a_limited_tag_is_said(tmp_path: Path) -> None:
    fmt = PictureFormat(64, 48, "yuv", 8, chroma="4:2:0")
    wide = np.tile(np.linspace(0, 255, 64).astype(np.uint8), (48, 1))
    frames = [Frame(n, fmt, (wide, *(np.full(s, 128, np.uint8) for s in fmt.plane_shapes()[1:]))) for n in range(4)]
    reel = open_reel(write_video(tmp_path / "a.mkv", frames, color_range=1))
    examined = examine(reel, Progress())
    words = contradictions(reel.format, examined)
    assert len(words) == 1
    assert words[0].startswith("The range is taken for limited, but 6.2% of the samples lie outside it")
    assert contradictions(DeclaredReel(reel, Declared(full_range=True)).format, examined) == ()
    narrow = replace(reel.format, full_range=True)
    assert "it may be limited" in contradictions(narrow, PLAIN)[0]


@pytest.mark.parametrize(
    ("size", "aspect", "words"),
    [
        ((720, 576), "1:1", "59:54 or 12:11 at 4:3"),
        ((720, 480), "1:1", "10:11 or 8:9 at 4:3"),
        ((640, 480), "12:11", "640x480 is 4:3 with square pixels, but the pixels are said to be 12:11"),
        ((720, 576), "59:54", None),
        ((1920, 1080), "1:1", None),
        ((1440, 1080), "4:3", None),  # the anamorphic 16:9 of HDV is what it says
    ],
)
def test_pixel_shapes_that_do_not_fit(size: tuple[int, int], aspect: str, words: str | None) -> None:
    fmt = PictureFormat(*size, "yuv", 8, chroma="4:2:0", pixel_aspect=parse_pixel_aspect(aspect), field_order="unknown")
    found = contradictions(fmt, PLAIN)
    assert (len(found) == 0) if words is None else (words in found[0])


def test_what_was_found_stands_line_by_line(tmp_path: Path) -> None:
    frames = [random_frame(FORMATS[1], n) for n in range(3)]
    reel = open_reel(write_video(tmp_path / "a.mkv", frames, sound=True))
    lines = {fact.name: fact for fact in facts(reel, PLAIN, Declared(running_speed="18"))}
    assert lines["Length"].found == "3 frames, 0 min 00.1 s"
    assert lines["Length"].measured == "0 min 00.2 s at 18 frames/s"
    assert lines["Picture size"].found == "48x32"
    assert lines["Samples"].found == "Y'CbCr 4:2:2, 10 bit"
    assert lines["Sound 1"].found == "stereo, pcm_s16le, 48 kHz"
    assert lines["Fields"].measured == "progressive, 20 of 24 places"
    assert lines["Matrix"].found.endswith("not stated: taken from the size")
    assert lines["Timecode"].field == "timecode"
    assert aspect_text(replace(reel.format, pixel_aspect=Fraction(2))) == "2:1 (shown 3.00:1)"


def test_several_sound_tracks_are_listed(tmp_path: Path) -> None:
    path = tmp_path / "a.mkv"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 48, 32, "yuv420p"
        tracks = []
        for layout, language in (("stereo", "eng"), ("mono", "nor"), ("5.1", "und")):
            track = container.add_stream("flac", rate=48000, layout=layout)
            track.metadata["language"] = language
            tracks.append((track, layout))
        container.mux(stream.encode(av.VideoFrame.from_ndarray(np.zeros((32, 48, 3), np.uint8), "rgb24")))
        container.mux(stream.encode(None))
        for track, layout in tracks:
            count = {"stereo": 2, "mono": 1, "5.1": 6}[layout]
            sound = av.AudioFrame.from_ndarray(np.zeros((1, 4608 * count), np.int16), format="s16", layout=layout)
            sound.sample_rate = 48000
            container.mux(track.encode(sound))
            container.mux(track.encode(None))
    found = [fact.found for fact in facts(open_reel(path), None) if fact.name.startswith("Sound")]
    assert found == ["stereo, flac, 48 kHz, eng", "mono, flac, 48 kHz, nor", "6 channels, flac, 48 kHz"]


# The operator's word


@pytest.mark.parametrize(
    ("field", "value", "words"),
    [("rate", "fast", "is not a frame rate"), ("pixel_aspect", "9:0", "is not a pixel aspect"),
     ("pixel_aspect", "10:1", "is not a pixel aspect"), ("gauge", "17 mm", "not one of the gauges"),
     ("turn", 45, "90"), ("head", -1, "greater than or equal to 0")],
)  # fmt: skip
def test_what_cannot_be_declared(field: str, value: object, words: str) -> None:
    with pytest.raises(UsageError, match=words):
        declare(Declared(), **{field: value})


def test_the_declared_word_overrules(tmp_path: Path) -> None:
    reel = open_reel(write_video(tmp_path / "a.mkv", [random_frame(FORMATS[0], n) for n in range(5)]))
    declared = DeclaredReel(reel, Declared(rate="18", pixel_aspect="59:54", matrix="bt709", full_range=True, head=1))
    assert declared.format.rate == 18
    assert declared.format.pixel_aspect == Fraction(59, 54)
    assert (declared.format.matrix, declared.format.full_range) == ("bt709", True)
    assert declared.identity != reel.identity
    assert declared.kept == range(1, 5)
    assert not declared.keeps_times
    np.testing.assert_array_equal(declared.frame(2).planes[0], reel.frame(2).planes[0])
    assert Declared(head=9, tail=9).kept(5) == range(4, 5), "one frame is left at least"
    assert DeclaredReel(reel).identity == reel.identity


@pytest.mark.parametrize(
    "fmt", [FORMATS[0], FORMATS[1], FORMATS[5], FORMATS[7], FORMATS[11]], ids=lambda fmt: fmt.describe()
)
@pytest.mark.parametrize("turn", [0, 90, 180, 270])
@pytest.mark.parametrize("flip", [(False, False), (True, False), (False, True)])
def test_set_upright_sample_for_sample(
    fmt: PictureFormat, turn: int, flip: tuple[bool, bool], tmp_path: Path
) -> None:  # fmt: skip
    reel = open_reel(write_video(tmp_path / "a.mkv", [random_frame(fmt, n) for n in range(2)]))
    declared = Declared(turn=turn, flip_sideways=flip[0], flip_upright=flip[1])
    if turn in {90, 270} and fmt.chroma == "4:1:1":
        with pytest.raises(UsageError, match="cannot be turned on its side"):
            DeclaredReel(reel, declared)
        return
    upright = DeclaredReel(reel, declared)
    for before, after in zip(reel.frame(1).planes, upright.frame(1).planes, strict=True):
        expected = np.rot90(before, -turn // 90)
        expected = expected[:, ::-1] if flip[0] else expected
        np.testing.assert_array_equal(after, expected[::-1] if flip[1] else expected)
    proof = run(upright, Plan.whole(Treatment()), RunRequest(tmp_path / "out.mkv", range(2)), Progress())
    assert proof.untouched == 2


def test_mirroring_top_to_bottom_exchanges_the_fields(tmp_path: Path) -> None:
    fmt = replace(FORMATS[0], field_order="top_first")
    reel = open_reel(write_video(tmp_path / "a.mkv", [random_frame(fmt, n) for n in range(2)], field_order=2))
    assert DeclaredReel(reel, Declared(flip_upright=True)).format.field_order == "bottom_first"
    assert DeclaredReel(reel, Declared(flip_sideways=True)).format.field_order == "top_first"
    with pytest.raises(UsageError, match="An interlaced picture cannot be turned"):
        DeclaredReel(reel, Declared(turn=90))


def test_a_declared_rate_leaves_the_sound_out_and_says_so(tmp_path: Path) -> None:
    source = write_video(tmp_path / "a.mkv", [random_frame(FORMATS[0], n) for n in range(24)], sound=True)
    declared = DeclaredReel(open_reel(source), Declared(rate="18", timecode="10:00:00:00"))
    proof = run(declared, Plan.whole(Treatment()), RunRequest(tmp_path / "o.mkv", range(6, 24)), Progress())
    assert any("sound was left out" in note for note in proof.notes)
    with av.open(str(tmp_path / "o.mkv")) as container:
        assert container.streams.video[0].average_rate == 18
        assert not container.streams.audio
        assert container.streams.video[0].metadata["TIMECODE"] == "10:00:00:06"


# Names, jobs


def test_names_by_pattern() -> None:
    files = [Path("/a/one.mkv"), Path("/a/two.mov")]
    named = names_by_pattern("PE-{year}-{reel:03}", files, [None, None], 7, 1967)
    assert named == ["PE-1967-007", "PE-1967-008"]
    assert names_by_pattern("{file} {gauge}", files, ["8 mm", None]) == ["one 8 mm", "two unknown gauge"]
    for pattern, words in (("{year}", "same name"), ("{tape}", "there is no {tape}"), ("{reel", "not a pattern"),
                           ("{reel:x!}", "not a pattern"), ("{}", "there is no {}")):  # fmt: skip
        with pytest.raises(UsageError) as caught:
            names_by_pattern(pattern, files, [None, None])
        assert words in caught.value.what


def test_a_job_of_version_1_is_read(tmp_path: Path) -> None:
    old = {"format": "grevin-job", "version": 1, "reels": [{"path": "/m/a.mkv", "rate": "18/1", "treatment": {}}]}
    job = Job.model_validate(migrated(old))
    assert job.reels[0].declared.rate == "18/1"
    assert job.version == JOB_VERSION
    with_more = job.with_added([Path("/m/b.mkv"), Path("/m/scan_%05d.tif")])
    assert [reel.id for reel in with_more.reels] == [0, 1, 2]
    assert [reel.title for reel in with_more.reels] == ["a", "b", "scan"]
    assert [reel.id for reel in with_more.without(1).with_added([Path("/m/c.mkv")]).reels] == [0, 2, 3]


def test_findings_and_examinations_stay_with_the_job(tmp_path: Path) -> None:
    job = JobFile.create(tmp_path / "a.grevin", Job(reels=(Reel(path="/m/a.mkv"),)))
    finding = Finding("unreadable", 4, 4, "Frame 4 cannot be read.")
    assert job.findings(0).add("looking", finding)
    assert not job.findings(0).add("looking", finding), "known already"
    job.keep_examination("key", PLAIN)
    job.save("key", b"index")
    job.close()
    job = JobFile.open(tmp_path / "a.grevin")
    assert [replace(one, id=0) for one in job.findings(0).every()] == [finding]
    assert job.findings(1).every() == []
    assert job.examination("key") == PLAIN
    assert job.examination("other") is None
    assert job.load("key") == b"index"
