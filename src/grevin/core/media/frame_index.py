"""Which frame of a video file is which: by presentation times that the decoder confirms, never by a guess.

Containers that state a presentation time for every packet are indexed from their packets, quickly, and the
decoder has to confirm the first frames. All others are decoded once from end to end.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import av
import numpy as np
import numpy.typing as npt

from grevin.core.media.container import open_container
from grevin.core.progress import Progress

CONFIRMED_FRAMES = 32  # frames decoded to confirm a packet index: longer than any reordering delay (16 in H.264)
TIMED_CONTAINERS = {"matroska,webm", "mov,mp4,m4a,3gp,3g2,mj2", "mxf"}
INTRA_CODECS = {"ffv1", "prores", "dnxhd", "v210", "rawvideo", "huffyuv", "ffvhuff", "utvideo", "mjpeg", "dvvideo"}


@dataclass(frozen=True)
class FrameIndex:
    """Presentation times of the frames, in order.

    Attributes:
        times: (N,) int64 presentation times in units of the stream's time base; None where the material has no
            usable ones and frames can only be counted from the start.
        keys: (N,) bool, frames from which decoding can start.
        length: N.
    """

    times: npt.NDArray[np.int64] | None
    keys: npt.NDArray[np.bool_]
    length: int

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


def build_index(path: str, progress: Progress) -> FrameIndex:
    """Index a file; packets where their times can be trusted, else a whole decode."""
    with open_container(path) as container:
        stream = container.streams.video[0]
        name = container.format.name
        trusted = name in TIMED_CONTAINERS or (name == "avi" and stream.codec.name in INTRA_CODECS)
    index = _index_packets(path, progress) if trusted else None
    if index is not None:
        index = _confirmed(path, index)
    return index if index is not None else index_by_decoding(path, progress)


def _index_packets(path: str, progress: Progress) -> FrameIndex | None:
    times: list[int] = []
    keys: list[bool] = []
    with open_container(path) as container:
        stream = container.streams.video[0]
        progress.begin(stream.frames, "Indexing")
        try:
            for packet in container.demux(stream):
                if packet.size == 0 or packet.is_discard:
                    continue
                if packet.pts is None:
                    return None
                times.append(packet.pts)
                keys.append(packet.is_keyframe)
                progress.advance()
        except av.error.FFmpegError:
            pass  # a damaged end: what was found so far is the reel
    order = np.argsort(np.array(times, np.int64), kind="stable")
    ordered = np.array(times, np.int64)[order]
    if len(ordered) == 0 or np.any(np.diff(ordered) == 0):
        return None
    return FrameIndex(ordered, np.array(keys, np.bool_)[order], len(ordered))


def _confirmed(path: str, index: FrameIndex) -> FrameIndex | None:
    """The index without leading frames that never decode; None if the decoder tells other times."""
    assert index.times is not None
    seen: list[int] = []
    for frame in _decode_leniently(path):
        if frame.pts is None:
            return None
        seen.append(frame.pts)
        if len(seen) == CONFIRMED_FRAMES:
            break
    if not seen:
        return None
    start = int(np.searchsorted(index.times, seen[0]))
    wanted = index.times[start : start + len(seen)]
    if not np.isin(seen, index.times).all() or len(wanted) < len(seen):
        return None
    return FrameIndex(index.times[start:], index.keys[start:], index.length - start)


def index_by_decoding(path: str, progress: Progress) -> FrameIndex:
    """Decode everything once and keep the times of the frames that came out."""
    times: list[int | None] = []
    keys: list[bool] = []
    with open_container(path) as container:
        progress.begin(container.streams.video[0].frames, "Indexing by decoding")
    for frame in _decode_leniently(path):
        times.append(frame.pts)
        keys.append(bool(frame.key_frame))
        progress.advance()
    known = [time for time in times if time is not None]
    if len(known) < len(times) or len(set(known)) < len(known) or known != sorted(known):
        return FrameIndex(None, np.zeros(len(times), np.bool_), len(times))
    return FrameIndex(np.array(known, np.int64), np.array(keys, np.bool_), len(known))


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
