"""Every video that is written, as MediaInfo's library reads it: code that shares nothing with the FFmpeg libraries."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import pytest
from pymediainfo import MediaInfo

from grevin.core.intake.declared import Declared
from grevin.core.job.document import Reel
from grevin.core.job.orders import Order, carry_out
from grevin.core.job.shots import Shot
from grevin.core.media.codings import CODINGS
from grevin.core.picture.format import PictureFormat
from grevin.core.progress import Progress
from tests.conftest import write_video
from tests.core.test_codings import FIELDS, drawn

COUNT, RATE = 12, Fraction(25)
PAL = PictureFormat(256, 576, "yuv", 8, chroma="4:2:0", rate=RATE)  # as many lines as make others take it for BT.601
NAMES = {
    "ffv1": "FFV1", "prores-422": "ProRes", "prores-422-hq": "ProRes", "prores-4444": "ProRes", "dnxhr-hq": "VC-3",
    "dnxhr-hqx": "VC-3", "h264": "AVC", "h265": "HEVC", "av1": "AV1",
}  # fmt: skip
TIMECODE = "10:00:00:05"
CHROMA = {"prores-4444": "4:4:4", "ffv1": "4:2:0", "h264": "4:2:0", "h265": "4:2:0", "av1": "4:2:0"}


def seen(folder: Path, coding: str, fmt: PictureFormat = PAL, **more: Any) -> Any:
    """What MediaInfo says of an output, tracks by their kinds."""
    source = write_video(folder / "reel.mkv", drawn(fmt, COUNT), sound=True)
    order = fmt.field_order if fmt.has_fields else "progressive"
    declared = Declared(pixel_aspect="16:15", timecode=TIMECODE, field_order=order)
    output = folder / f"out{CODINGS[coding].suffix}"
    reel = Reel(path=str(source), declared=declared, **more)
    carry_out(Order(reel=reel, output=str(output), coding=coding), Progress())
    return MediaInfo.parse(output)


@pytest.mark.reference
@pytest.mark.parametrize("coding", CODINGS)
def test_count_rate_shape_tags_timecode_and_sync(tmp_path: Path, coding: str) -> None:
    found = seen(tmp_path, coding)
    (picture,), (sound,) = found.video_tracks, found.audio_tracks
    assert (picture.format, picture.frame_count, Fraction(picture.frame_rate)) == (NAMES[coding], str(COUNT), RATE)
    assert (picture.width, picture.height) == (256, 576)
    assert float(picture.pixel_aspect_ratio) == pytest.approx(16 / 15, abs=1e-3)
    assert picture.scan_type in {"Progressive", None}
    assert picture.chroma_subsampling == CHROMA.get(coding, "4:2:2")
    if coding != "ffv1":  # the material names no colours: its lossless copy names none either
        assert picture.color_primaries == "BT.601 PAL"
        assert picture.matrix_coefficients == ("BT.709" if CODINGS[coding].matrix else "BT.470 System B/G")
    timecodes = [track.time_code_of_first_frame for track in (picture, *found.other_tracks)]
    assert TIMECODE in timecodes
    assert float(sound.duration) == pytest.approx(1000 * COUNT / RATE, abs=1)
    assert float(sound.delay_relative_to_video or 0) == 0


@pytest.mark.reference
@pytest.mark.parametrize("coding", [one.id for one in FIELDS])
@pytest.mark.parametrize(("order", "words"), [("top_first", "TFF"), ("bottom_first", "BFF")])
def test_fields(tmp_path: Path, coding: str, order: Any, words: str) -> None:
    (picture,) = seen(tmp_path, coding, replace(PAL, field_order=order)).video_tracks
    assert picture.scan_type in {"Interlaced", "MBAFF"}
    assert picture.scan_order == words


@pytest.mark.reference
@pytest.mark.parametrize("coding", ["ffv1", "h264"])
def test_chapters_at_shots(tmp_path: Path, coding: str) -> None:
    found = seen(tmp_path, coding, shots=(Shot(first=0, name="The pier"), Shot(first=5)))
    told = found.menu_tracks[0].to_data()
    titles = {name: value for name, value in told.items() if name[0].isdigit()}
    assert [value.split(":")[-1] for value in titles.values()] == ["The pier", "Shot 2"]
    first, second = (int(name[-3:]) for name in titles)  # ms; it counts MP4's from the timecode
    assert second - first == 200, "5 frames of 25 a second"


@pytest.mark.reference
@pytest.mark.parametrize("coding", [one for one in CODINGS if one != "av1"])  # OpenCV's wheels decode no AV1
def test_every_frame_is_decoded(tmp_path: Path, coding: str) -> None:
    """OpenCV's own build of a decoder."""
    seen(tmp_path, coding)
    capture = cv2.VideoCapture(str(tmp_path / f"out{CODINGS[coding].suffix}"))
    count = 0
    while capture.read()[0]:
        count += 1
    capture.release()
    assert count == COUNT
