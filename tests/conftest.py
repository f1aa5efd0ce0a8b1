from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OMP_NUM_THREADS", "1")  # two test processes side by side: a tenth faster
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import av
import numpy as np
import pytest

from grevin.core.media.pixel_layout import lossless_layout, pack
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource

FORMATS = [
    PictureFormat(48, 32, "yuv", 8, chroma="4:2:0"),
    PictureFormat(48, 32, "yuv", 10, chroma="4:2:2"),
    PictureFormat(47, 31, "yuv", 8, chroma="4:2:0", full_range=True),
    PictureFormat(48, 32, "yuv", 12, chroma="4:4:4", matrix="bt709"),
    PictureFormat(48, 32, "yuv", 16, chroma="4:2:0", matrix="bt2020"),
    PictureFormat(48, 32, "yuv", 8, chroma="4:1:1"),
    PictureFormat(48, 32, "yuv", 10, chroma="4:2:0", alpha=True),
    PictureFormat(48, 32, "rgb", 8, full_range=True),
    PictureFormat(48, 32, "rgb", 16, full_range=True),
    PictureFormat(48, 32, "rgb", 16, alpha=True, full_range=True),
    PictureFormat(48, 32, "grey", 8, full_range=True),
    PictureFormat(48, 32, "grey", 16, full_range=True),
]


def name_of(fmt: PictureFormat) -> str:
    return f"{fmt.model}-{fmt.chroma}-{fmt.bit_depth}{'-alpha' if fmt.alpha else ''}{'-full' if fmt.full_range else ''}"


def random_frame(fmt: PictureFormat, number: int = 0, seed: int = 0) -> Frame:
    """Any code values at all, legal or not: what is carried must not depend on them."""
    rng = np.random.default_rng((seed, number))
    planes = tuple(rng.integers(0, fmt.max_code + 1, shape).astype(fmt.dtype) for shape in fmt.plane_shapes())
    return Frame(number, fmt, planes)


@lru_cache(maxsize=24)
def moving_frames(count: int, width: int = 160, height: int = 120, bits: int = 8, speed: float = 2.0) -> MemorySource:
    """A textured picture moving steadily, with grain: what the dirt step is made for."""
    import cv2

    rng = np.random.default_rng(3)
    wide = cv2.GaussianBlur(rng.normal(0, 1, (height, width + 400)).astype(np.float32), (0, 0), 3.0)
    texture = 110 + 55 * wide / np.abs(wide).max() * 2
    fmt = PictureFormat(width, height, "yuv", bits, chroma="4:2:0", rate=Fraction(24))
    frames = []
    for number in range(count):
        move = np.array([[1.0, 0.0, -speed * number], [0.0, 1.0, 0.0]])
        luma = cv2.warpAffine(texture, move, (width, height)) + rng.normal(0, 1.5, (height, width))
        codes = np.clip(np.rint(luma * (1 << (bits - 8))), 0, fmt.max_code).astype(fmt.dtype)
        chroma = tuple(np.full(shape, 128 << (bits - 8), fmt.dtype) for shape in fmt.plane_shapes()[1:])
        frames.append(Frame(number, fmt, (codes, *chroma)))
    return MemorySource(frames, "moving")


def write_video(
    path: Path, frames: list[Frame], codec: str = "ffv1", options: dict[str, str] | None = None, sound: bool = False,
    pts: list[int] | None = None, **context: object,
) -> Path:  # fmt: skip
    """A video file made by the FFmpeg libraries directly, so that our writer is not its own judge."""
    fmt = frames[0].format
    with av.open(str(path), "w") as container:
        stream = container.add_stream(
            codec, rate=fmt.rate, options=options or ({"slices": "1"} if fmt.height < 16 and codec == "ffv1" else {})
        )
        stream.width, stream.height = fmt.width, fmt.height
        stream.pix_fmt = lossless_layout(fmt)
        for name, value in context.items():
            setattr(stream.codec_context, name, value)
        audio = container.add_stream("pcm_s16le", rate=48000, layout="stereo") if sound else None
        for place, frame in enumerate(frames):
            packed = pack(frame.planes, fmt, stream.pix_fmt)
            packed.pts = place if pts is None else pts[place]
            packed.time_base = 1 / fmt.rate
            container.mux(stream.encode(packed))
            if audio is not None:
                container.mux(audio.encode(_second_of_sound(place, fmt.rate)))
        container.mux(stream.encode(None))
        if audio is not None:
            container.mux(audio.encode(None))
    return path


def _second_of_sound(place: int, rate: Fraction) -> av.AudioFrame:
    samples = int(48000 / rate)
    wave = (8000 * np.sin(np.arange(samples * 2) * 0.05 + place)).astype(np.int16)[None]
    frame = av.AudioFrame.from_ndarray(wave, format="s16", layout="stereo")
    frame.sample_rate = 48000
    frame.pts = place * samples
    frame.time_base = Fraction(1, 48000)
    return frame


@pytest.fixture(autouse=True)
def _own_home(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """No test reads or writes the person's own folders."""
    home = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("HOME", str(home))
    for name in ("XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME"):
        monkeypatch.setenv(name, str(home / name.lower()))
    return


@pytest.fixture
def recipe(tmp_path: Path) -> Callable[..., Path]:
    import json

    def write(*steps: dict[str, object], **extra: object) -> Path:
        path = tmp_path / "recipe.json"
        rows = list(steps) or [{"step": "dirt", "settings": {}}]
        path.write_text(json.dumps({"format": "grevin-recipe", "version": 1, "steps": rows, **extra}))
        return path

    return write


@pytest.fixture
def dirty_reel(tmp_path: Path) -> Path:
    """A small moving reel with dirt, as a file with sound."""
    from grevin.core.quality.damage.dirt import DirtDamage

    source = moving_frames(12)
    damage = DirtDamage(seed=5, blobs_per_frame=60, hair_share=0.0, largest_px=10)
    frames = [damage.add(source.frame(n))[0] for n in range(len(source))]
    return write_video(tmp_path / "dirty.mkv", frames, sound=True)
