"""Packets whose order or decoding times an encoder got wrong."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import av
import pytest

from grevin.core.errors import OutputError
from grevin.core.media.codings import CODINGS
from grevin.core.media.video_writer import Start, VideoWriter
from tests.core.test_codings import COUNT, SD, drawn


class Unruly:
    """A stream whose encoder hands out the last packets by fault."""

    def __init__(self, stream: Any, fault: str) -> None:
        self._stream, self._fault = stream, fault

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)

    def encode(self, frame: Any) -> list[Any]:
        packets = list(self._stream.encode(frame))
        if len(packets) > 5:
            if self._fault == "swapped":
                packets[4], packets[5] = packets[5], packets[4]
            elif self._fault == "lost":
                del packets[4]
            elif self._fault == "times":
                packets[4].dts, packets[5].dts = packets[5].dts, packets[4].dts
        return packets


def begun(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, fault: str) -> VideoWriter:
    """A writer that was given all its pictures."""
    made = VideoWriter._add_video
    monkeypatch.setattr(VideoWriter, "_add_video", lambda self: Unruly(made(self), fault))
    coding = CODINGS["av1"]
    writer = VideoWriter(tmp_path / "a.mp4", None, coding.format_of(SD), range(COUNT), False, Start(), coding)
    for frame in drawn(SD):
        writer.write(frame)
    return writer


@pytest.mark.parametrize("fault", ["none", "swapped", "times"])
def test_what_is_shown_in_order_is_stored_in_order(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, fault: str
) -> None:  # fmt: skip
    writer = begun(tmp_path, monkeypatch, fault)
    writer.finish()
    writer.commit()
    with av.open(str(tmp_path / "a.mp4")) as container:
        seen = [frame.to_ndarray(format="gray").astype(float) for frame in container.decode(video=0)]
    assert len(seen) == COUNT
    right = [(frame.planes[0].clip(16, 235).astype(float) - 16) * 255 / 219 for frame in drawn(SD)]
    for place, picture in enumerate(seen):
        assert min(range(COUNT), key=lambda n: abs(picture - right[n]).mean()) == place


def test_pictures_that_an_encoder_keeps_are_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    writer = begun(tmp_path, monkeypatch, "lost")
    with pytest.raises(OutputError, match="did not give back picture 5"):
        writer.finish()
    writer.discard()
    assert not list(tmp_path.iterdir())
