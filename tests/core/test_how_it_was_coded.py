"""Which pictures were coded by themselves, and so which family of codecs it was."""

from __future__ import annotations

import tempfile
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from skimage import data as photographs

from grevin.core.measure.quantised import COMBED, Coded, coded_as, combed
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

STILLS = ("camera", "moon", "astronaut", "coffee")  # of those that scikit-image ships, coins and page were JPEG before


def still(name: str) -> np.ndarray:
    read = np.asarray(getattr(photographs, name)(), np.uint8)
    picture = read if read.ndim == 2 else np.asarray(cv2.cvtColor(read, cv2.COLOR_RGB2GRAY))
    return np.ascontiguousarray(picture[: picture.shape[0] // 16 * 16, : picture.shape[1] // 16 * 16])


def as_jpeg(picture: np.ndarray, quality: int) -> np.ndarray:
    packed = cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return np.asarray(cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE), np.uint8)


@pytest.mark.parametrize("name", STILLS)
@pytest.mark.parametrize("quality", [30, 60, 85])
def test_jpeg_is_combed_and_what_was_changed_since_is_not(name: str, quality: int) -> None:
    """Steps of ITU-T T.81, table K.1, scaled as libjpeg scales them: whole multiples in every block."""
    clean = still(name)
    coded = as_jpeg(clean, quality).astype(np.float32)
    assert combed(clean.astype(np.float32)) < COMBED < combed(coded)
    assert combed(coded[5:, 3:], right=5, down=3) > COMBED
    assert combed(coded[5:, 3:]) < COMBED, "blocks lie elsewhere"
    scaled = cv2.resize(coded, None, fx=1.1, fy=1.1, interpolation=cv2.INTER_CUBIC)
    assert combed(np.rint(scaled)) < COMBED


def test_pictures_too_small_or_empty_say_nothing() -> None:
    assert combed(np.zeros((7, 90), np.float32)) == 0
    assert combed(np.zeros((64, 64), np.float32)) == 0
    assert coded_as(np.zeros(0)) == Coded()
    assert coded_as(np.full(9, 0.05)) == Coded()


def test_groups_are_told_by_which_pictures_are_whole() -> None:
    run = np.full(30, 0.05)
    run[[4, 16, 28]] = 0.8, 0.6, 0.7
    run[[5, 17]] = 0.5, 0.3  # what follows keeps some of it
    assert coded_as(run) == Coded(whole=(4, 16, 28))
    assert coded_as(run).group == 12
    assert coded_as(run[4:]).whole == (0, 12, 24)
    assert coded_as(run[:16]).group == 0
    still = np.maximum(run, 0.4)
    assert coded_as(still) == Coded(whole=(4, 16, 28)), "where nothing moves all keep much of it"
    assert coded_as(np.full(30, 0.6)).each


def told(codec: str, options: dict[str, str], frames: int = 27) -> str:
    """What the card says of a drifting photograph that went through a codec."""
    picture = cv2.resize(still("camera"), (640, 640), interpolation=cv2.INTER_AREA)
    moving = [np.ascontiguousarray(picture[n : n + 240, 2 * n : 2 * n + 320]) for n in range(frames)]
    fmt = PictureFormat(320, 240, "grey", 8)
    source = MemorySource(
        [Frame(n, fmt, (luma,)) for n, luma in enumerate(_through(moving, codec, options))], codec
    )  # fmt: skip
    chain = Chain(source, Treatment(steps=(TreatmentStep.make("compression", {"speed": "quick"}),)))
    chain.result.frame(0)
    return " ".join(chain.steps[0].told(0))


def _through(frames: list[np.ndarray], codec: str, options: dict[str, str]) -> list[np.ndarray]:
    kind = "yuvj420p" if codec == "mjpeg" else "yuv420p"
    grey = np.full((120, 320), 128, np.uint8)
    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / "run.mkv")
        with av.open(path, "w") as container:
            stream = container.add_stream(codec, rate=25, options=options)
            stream.width, stream.height, stream.pix_fmt = 320, 240, kind
            for number, luma in enumerate(frames):
                frame = av.VideoFrame.from_ndarray(np.concatenate([luma, grey]), kind)
                frame.pts = number
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
        with av.open(path) as container:
            return [np.ascontiguousarray(frame.to_ndarray()[:240]) for frame in container.decode(video=0)]


@pytest.mark.parametrize("group", [6, 9, 12])
def test_the_card_names_a_group_of_mpeg_2(group: int) -> None:
    words = told("mpeg2video", {"qmin": "8", "qmax": "8", "g": str(group), "bf": "2", "sc_threshold": "1000000000"})
    assert f"One picture in {group} was coded by itself, picture 1 of this shot the first of them" in words


def test_the_card_names_codecs_of_whole_pictures_and_is_silent_of_others() -> None:
    assert "Each picture was coded by itself" in told("mjpeg", {"qmin": "6", "qmax": "6"})
    assert "by itself" not in told("libx264", {"crf": "26"})
