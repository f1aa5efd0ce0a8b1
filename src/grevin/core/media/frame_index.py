"""Which frame of a video file is which: by presentation times that the decoder confirms, never by a guess.

Containers that state a presentation time for every packet are indexed from their packets, quickly, and the
decoder has to confirm the first frames. All others are decoded once from end to end. Both grow piece by piece, so
that the first frames can be looked at while the rest is being indexed.
"""

from __future__ import annotations

import io
import time
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import av
import numpy as np
import numpy.typing as npt

from grevin.core.media.container import open_container

CONFIRMED_INTRA = 2  # the same where every frame stands alone and none is reordered
CONFIRMED_FRAMES = 32  # frames decoded to confirm a packet index: longer than any reordering delay (16 in H.264)
TIMED_CONTAINERS = {"matroska,webm", "mov,mp4,m4a,3gp,3g2,mj2", "mxf"}
INTRA_CODECS = {"ffv1", "prores", "dnxhd", "v210", "rawvideo", "huffyuv", "ffvhuff", "utvideo", "mjpeg", "dvvideo"}
PIECE_S = 0.3  # how often a growing index is handed on
INDEX_VERSION = 1  # of the stored form


@dataclass(frozen=True)
class FrameIndex:
    """Presentation times of the frames, in order.

    Attributes:
        times: (N,) int64 presentation times in units of the stream's time base; None where the material has no
            usable ones and frames can only be counted from the start.
        keys: (N,) bool, frames from which decoding can start.
        length: N.
        complete: whether this is the whole reel, or what is known so far.
    """

    times: npt.NDArray[np.int64] | None
    keys: npt.NDArray[np.bool_]
    length: int
    complete: bool = True

    @cached_property
    def all_keys(self) -> bool:
        """Whether every frame can be decoded by itself."""
        return self.times is not None and bool(self.keys.all())

    def number_at(self, time: int | None) -> int | None:
        """Frame number of a presentation time, None if it is not one of the index."""
        if self.times is None or time is None:
            return None
        place = int(np.searchsorted(self.times, time))
        return place if place < self.length and int(self.times[place]) == time else None

    def key_before(self, number: int) -> int:
        """The last frame at or before `number` from which decoding can start (0 at worst)."""
        places = np.nonzero(self.keys[: number + 1])[0]
        return int(places[-1]) if len(places) else 0

    def to_bytes(self) -> bytes:
        """A small stored form: steps between the times, compressed."""
        stream = io.BytesIO()
        counted = self.times is None
        times = np.zeros(0, np.int64) if self.times is None else self.times
        np.savez_compressed(
            stream, version=INDEX_VERSION, counted=counted, length=self.length, first=times[:1],
            steps=np.diff(times), keys=np.packbits(self.keys),
        )  # fmt: skip
        return stream.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> FrameIndex | None:
        """The stored index; None if it is of another version or damaged."""
        try:
            with np.load(io.BytesIO(data), allow_pickle=False) as held:
                if int(held["version"]) != INDEX_VERSION:
                    return None
                length = int(held["length"])
                keys = np.unpackbits(held["keys"], count=length).astype(np.bool_)
                times = np.cumsum(np.concatenate([held["first"], held["steps"]]))
                counted = bool(held["counted"])
        except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile, zlib.error):
            return None
        return cls(None if counted else times, keys, length) if counted or len(times) == length else None


class IndexStore(Protocol):
    """Keeps indices between two openings, by the identity of the file."""

    def load(self, identity: str) -> bytes | None:
        """What was kept, None if nothing."""
        ...

    def save(self, identity: str, data: bytes) -> None:
        """Keep an index."""
        ...


def growing_index(path: str) -> Iterator[FrameIndex]:
    """Index a file piece by piece, the last piece is complete; packets where their times can be trusted.

    FFmpeg's errors are passed on if there is nothing to read.
    """
    with open_container(path) as container:
        stream = container.streams.video[0]
        name = container.format.name
        intra = stream.codec.name in INTRA_CODECS
        trusted = name in TIMED_CONTAINERS or (name == "avi" and intra)
    if trusted:
        seen = _first_times(path, CONFIRMED_INTRA if intra else CONFIRMED_FRAMES)
        try:
            for index in _packet_pieces(path):
                yield _confirmed(index, seen)
        except _UntrustedError:
            yield from decoded_pieces(path)
    else:
        yield from decoded_pieces(path)


class _UntrustedError(Exception):
    """The packets' times are not those of the frames."""


def _packet_pieces(path: str) -> Iterator[FrameIndex]:
    times: list[int] = []
    keys: list[bool] = []
    with open_container(path) as container:
        stream = container.streams.video[0]
        stream.codec_context.thread_count = 1
        started = time.monotonic()
        try:
            for packet in container.demux(stream):
                if packet.size == 0 or packet.is_discard:
                    continue
                if packet.pts is None:
                    raise _UntrustedError
                times.append(packet.pts)
                keys.append(packet.is_keyframe)
                if len(times) > 4 * CONFIRMED_FRAMES and time.monotonic() - started > PIECE_S:
                    yield _sorted(times, keys, complete=False)
                    started = time.monotonic()
        except av.error.FFmpegError:
            pass  # a damaged end: what was found so far is the reel
    yield _sorted(times, keys, complete=True)


def _sorted(times: list[int], keys: list[bool], complete: bool) -> FrameIndex:
    """In the order of presentation; of an unfinished list without the end, whose order may still change."""
    found = np.array(times, np.int64)
    order = np.argsort(found, kind="stable")
    order = order if complete else order[:-CONFIRMED_FRAMES]
    ordered = found[order]
    if len(ordered) == 0 or np.any(np.diff(ordered) == 0):
        raise _UntrustedError
    return FrameIndex(ordered, np.array(keys, np.bool_)[order], len(ordered), complete)


def _first_times(path: str, count: int) -> list[int | None]:
    times: list[int | None] = []
    for frame in _decode_leniently(path):
        times.append(frame.pts)
        if len(times) == count:
            break
    return times


def _confirmed(index: FrameIndex, seen: list[int | None]) -> FrameIndex:
    """The index without leading frames that never decode; not to be trusted if the decoder tells other times."""
    assert index.times is not None
    known = [time for time in seen if time is not None]
    if not seen or len(known) < len(seen):
        raise _UntrustedError
    start = int(np.searchsorted(index.times, known[0]))
    wanted = index.times[start : start + len(known)]
    if not np.isin(known, index.times).all() or len(wanted) < len(known):
        raise _UntrustedError
    return FrameIndex(index.times[start:], index.keys[start:], index.length - start, index.complete)


def decoded_pieces(path: str) -> Iterator[FrameIndex]:
    """Decode everything once and keep the times of the frames that came out."""
    times: list[int | None] = []
    keys: list[bool] = []
    started = time.monotonic()
    for frame in _decode_leniently(path):
        times.append(frame.pts)
        keys.append(bool(frame.key_frame))
        if time.monotonic() - started > PIECE_S:
            yield _counted(times, keys, complete=False)
            started = time.monotonic()
    yield _counted(times, keys, complete=True)


def _counted(times: list[int | None], keys: list[bool], complete: bool) -> FrameIndex:
    known = [time for time in times if time is not None]
    if len(known) < len(times) or len(set(known)) < len(known) or known != sorted(known):
        return FrameIndex(None, np.zeros(len(times), np.bool_), len(times), complete)
    return FrameIndex(np.array(known, np.int64), np.array(keys, np.bool_), len(known), complete)


def _decode_leniently(path: str) -> Iterator[av.VideoFrame]:
    """All frames that can be decoded, stepping over damaged packets."""
    with open_container(path) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        packets = container.demux(stream)
        while True:
            try:
                packet = next(packets, None)
                if packet is None:
                    return
                yield from packet.decode()
            except av.error.EOFError:
                return
            except av.error.FFmpegError:
                continue
