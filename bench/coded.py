"""Luma of pictures, through the codecs of the FFmpeg libraries and back."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import av
import numpy as np
import numpy.typing as npt
from av.video.frame import PictureType

Luma = npt.NDArray[np.uint8]


def repeatable(stream: Any) -> Any:
    """A stream whose encoder gives the same pictures every time.

    That of H.264 gives others on another number of threads; and with AVX-512 it reads memory that nobody wrote, where
    it weighs blocks by what later frames take from them (libx264 of PyAV 18.1). SSE2 every processor has.
    """
    if stream.codec_context.name == "libx264":
        stream.codec_context.thread_count = 1
        stream.codec_context.options = {**stream.codec_context.options, "x264-params": "asm=sse2"}
    return stream


def coded_run(frames: list[Luma], codec: str, options: dict[str, str]) -> list[Luma]:
    """The luma of frames, written and read back."""
    return coded_run_told(frames, codec, options)[0]


def coded_run_told(
    frames: list[Luma], codec: str, options: dict[str, str]
) -> tuple[list[Luma], tuple[int, ...]]:  # fmt: skip
    """The same, and the places of those that were coded by themselves."""
    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / "run.mkv")
        height, width = frames[0].shape
        with av.open(path, "w") as container:
            stream: Any = repeatable(container.add_stream(codec, rate=25, options=options))
            stream.width, stream.height = width, height
            stream.pix_fmt = "yuvj420p" if codec == "mjpeg" else "yuv420p"
            grey = np.full((height // 2, width), 128, np.uint8)
            for place, luma in enumerate(frames):
                frame = av.VideoFrame.from_ndarray(np.concatenate([luma, grey]), "yuv420p")
                if codec == "mjpeg":
                    frame = av.VideoFrame.from_ndarray(np.concatenate([luma, grey]), "yuvj420p")
                frame.pts = place
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
        with av.open(path) as container:
            read = list(container.decode(video=0))
    whole = tuple(place for place, frame in enumerate(read) if frame.pict_type == PictureType.I)
    return [_luma(frame) for frame in read], whole


def _luma(frame: Any) -> Luma:
    plane = frame.planes[0]
    rows = np.frombuffer(plane, np.uint8).reshape(plane.height, plane.line_size)
    return np.ascontiguousarray(rows[:, : plane.width])
