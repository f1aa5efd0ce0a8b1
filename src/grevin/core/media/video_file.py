"""Video files, read frame-accurately through the FFmpeg libraries (PyAV)."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import numpy.typing as npt

from grevin.core.cache import ByteCache
from grevin.core.errors import MediaError, UnreadableFrameError
from grevin.core.keys import content_key
from grevin.core.media.container import check_size, open_container
from grevin.core.media.ffv1_check import slices_are_whole
from grevin.core.media.frame_index import CONFIRMED_FRAMES, INTRA_CODECS, FrameIndex, IndexStore, growing_index
from grevin.core.media.identity import file_identity
from grevin.core.media.pixel_layout import unpack
from grevin.core.media.video_details import VideoDetails, gap_notes, read_details
from grevin.core.picture.format import FieldOrder, PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress

SEEK_COST_FRAMES = 4  # a seek costs about as much as decoding this many frames (measured, two decoder threads)
LEAD_IN_FRAMES = 2  # a seek begins this much earlier: steps look at the frames before, and would seek again
MOST_KEPT_BEFORE = 16  # frames passed on the way to the one wanted that are kept, so that stepping back is quick
KEPT_BEFORE_BYTES = 24 << 20  # and no more than this of them: copying large ones would cost more than seeking again
DECODED_CACHE_BYTES = 96 << 20  # decoded neighbours kept, so that stepping back in a long group is quick
SD_LINES = 576  # untagged material up to this height is taken as BT.601, above as BT.709 (common practice)

_MATRIX_TAGS = {1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020"}  # ITU-T H.273, table 4
_FIELD_ORDERS: dict[int, FieldOrder] = {
    1: "progressive",
    2: "top_first",
    3: "bottom_first",
    4: "top_first",
    5: "bottom_first",
}


class VideoFile:
    """A FrameSource over the first video stream of a file, which is opened read-only."""

    def __init__(
        self, path: Path, progress: Progress | None = None, store: IndexStore | None = None, patient: bool = True
    ) -> None:
        """Open and index.

        Args:
            path: the file.
            progress: of the indexing.
            store: keeps the index between two openings.
            patient: False to be content with the first piece of the index; `finish_index` does the rest.

        Raises:
            MediaError: if there is no readable picture in the file.
        """
        self.path = path
        self._lock = threading.Lock()
        self._store = store
        try:
            self._container = open_container(path)
            self._stream = self._first_stream()
            self._facts = _disk_facts(path)
            self._identity = content_key("video", file_identity(path))
            self._pieces: Iterator[FrameIndex] = iter(())
            self.index: FrameIndex = self._stored_index() or self._first_piece()
            if patient and not self.index.complete:
                self._finish(progress or Progress())
        except av.error.FFmpegError as fault:
            raise MediaError(
                f"{path.name} is not a video file that can be read ({fault.strerror or fault}).",
                "Check that it was copied completely; give a video file or an image sequence.",
            ) from fault
        if self.index.length == 0:
            raise MediaError(
                f"{path.name} holds no picture that can be decoded.", "Check that it was copied completely."
            )
        self._decoded = ByteCache(DECODED_CACHE_BYTES)
        self._frames: Iterator[av.VideoFrame] | None = None
        self._next = 0
        self._needed_from = 0
        self._has_checksums = False
        self._format: PictureFormat | None = None
        self._format = self._read_format()
        self.details = self._read_details()
        self.notes = self._read_notes()

    def _stored_index(self) -> FrameIndex | None:
        data = self._store.load(self._identity) if self._store is not None else None
        return None if data is None else FrameIndex.from_bytes(data)

    def _first_piece(self) -> FrameIndex:
        self._pieces = growing_index(str(self.path))
        return self._keep(next(self._pieces))

    def _keep(self, index: FrameIndex) -> FrameIndex:
        if index.complete and self._store is not None and index.length > 0:
            self._store.save(self._identity, index.to_bytes())
        return index

    def _finish(self, progress: Progress) -> None:
        progress.begin(self._expected_frames(), "Indexing")
        for index in self._pieces:
            progress.advance(index.length - self.index.length)
            self.index = self._keep(index)

    def _expected_frames(self) -> int:
        """What the header announces, 0 if nothing; only for showing progress."""
        seconds = self._container.duration / av.time_base if self._container.duration else 0.0
        return self._stream.frames or round(seconds * float(self._rate()))

    def finish_index(self, progress: Progress) -> None:
        """Index the rest; the reel grows meanwhile. To be called once, from any thread.

        Raises:
            MediaError: if the file is damaged in a way that stops even this.
        """
        try:
            self._finish(progress)
        except av.error.FFmpegError as fault:
            raise MediaError(
                f"{self.path.name} could not be indexed to its end ({fault.strerror or fault}).",
                "The frames found so far can be used; check that it was copied completely.",
            ) from fault
        self.details = self._read_details()
        self.notes = self._read_notes()

    def _first_stream(self) -> av.VideoStream:
        if not self._container.streams.video:
            raise MediaError(
                f"{self.path.name} holds no video stream.",
                "Give a file with a picture; if it should have one, it was cut off: copy it again.",
            )
        stream = self._container.streams.video[0]
        if stream.codec_context is None or stream.codec_context.name is None:
            raise MediaError(f"The codec of {self.path.name} is unknown.", "Convert the material first.")
        check_size(self.path.name, stream.width, stream.height)
        # Threads over frames decode ahead, which is wasted where frames are picked out one by one.
        stream.thread_type = "SLICE" if stream.codec_context.name in INTRA_CODECS else "AUTO"
        return stream

    @property
    def format(self) -> PictureFormat:
        """Format of every frame."""
        assert self._format is not None
        return self._format

    @property
    def identity(self) -> str:
        """Key over the file's content (size, time of change, both ends)."""
        return self._identity

    def __len__(self) -> int:
        return self.index.length

    def time_of(self, number: int) -> Fraction:
        """Presentation time of a frame in seconds."""
        if self.index.times is None:
            return Fraction(number) / self.format.rate
        base = self._stream.time_base or Fraction(1, 1000)
        return Fraction(int(self.index.times[number])) * base

    def own_times(self) -> npt.NDArray[np.float64] | None:
        """(N,) seconds at which each frame begins where they are unevenly spaced; None where they are even."""
        if self.index.times is None or not self.details.variable_rate:
            return None
        return np.asarray(self.index.times * float(self._stream.time_base or Fraction(1, 1000)), np.float64)

    def close(self) -> None:
        """Release the file."""
        with self._lock:
            self._container.close()

    def frame(self, number: int) -> Frame:
        """Frame `number`.

        Raises:
            UnreadableFrameError: if it cannot be decoded.
        """
        if not 0 <= number < len(self):
            raise IndexError(f"frame {number} of {len(self)}")
        with self._lock:
            held: Frame | None = self._decoded.peek(str(number))
            if held is not None:
                return held
            if _disk_facts(self.path) not in {self._facts, None}:
                raise MediaError(
                    f"{self.path.name} was changed or replaced since it was opened.",
                    "Open it again, so that no two materials are mixed.",
                )
            return self._fetch(number)

    def _fetch(self, number: int) -> Frame:
        key = self.index.key_before(max(0, number - LEAD_IN_FRAMES)) if self.index.times is not None else 0
        self._needed_from = number - self._kept_before()
        if self.index.all_keys:
            return self._fetch_whole_picture(number)
        ahead = number - self._next
        if self._frames is None or ahead < 0 or ahead > number - key + SEEK_COST_FRAMES:
            return self._fetch_after_seek(number, key)
        return self._run_to(number, may_be_late=False)

    def _fetch_whole_picture(self, number: int) -> Frame:
        """Where every frame stands for itself, nothing before the one wanted has to be decoded."""
        if self._frames is None or not 0 <= number - self._next <= SEEK_COST_FRAMES:
            return self._fetch_after_seek(number, number)
        return self._run_to(number, may_be_late=False)

    def _kept_before(self) -> int:
        if self._format is None or self.index.all_keys:
            return 0
        size = sum(height * width for height, width in self._format.plane_shapes()) * self._format.dtype.itemsize
        return min(MOST_KEPT_BEFORE, KEPT_BEFORE_BYTES // size)

    def _fetch_after_seek(self, number: int, key: int) -> Frame:
        """Seek to a key frame and decode on; further back each time the decoder comes in too late."""
        while True:
            self._seek(key)
            try:
                return self._run_to(number, may_be_late=key > 0)
            except _TooLateError:
                key = self.index.key_before(max(0, key - 1)) if key > 1 else 0

    def _seek(self, key: int) -> None:
        if self.index.times is None or key == 0:
            self._reopen()
        else:
            self._container.seek(int(self.index.times[key]), stream=self._stream, backward=True)
        self._frames = self._decode_on()
        self._next = key

    def _reopen(self) -> None:
        self._container.close()
        try:
            self._container = open_container(self.path)
        except (av.error.FFmpegError, OSError) as fault:
            raise MediaError(
                f"{self.path.name} can no longer be read.", "Put the file back or reconnect its disk."
            ) from fault
        self._stream = self._first_stream()

    def _decode_on(self) -> Iterator[av.VideoFrame]:
        packets = self._container.demux(self._stream)
        while True:
            try:
                packet = next(packets, None)
                if packet is None:
                    return
                if self._is_damaged(packet):
                    continue
                if self._leave_out(packet):
                    continue
                yield from packet.decode()
            except av.error.EOFError:
                return
            except av.error.FFmpegError:
                continue

    def _leave_out(self, packet: Any) -> bool:
        """Whether a packet on the way to the frame wanted can be passed over; others may be decoded in part."""
        number = self.index.number_at(packet.pts) if self.index.times is not None else None
        needed = number is None or number >= self._needed_from
        if self.index.all_keys:
            return not needed and packet.size > 0
        self._stream.codec_context.skip_frame = "DEFAULT" if needed else "NONREF"
        return False

    def _is_damaged(self, packet: Any) -> bool:
        """Whether a packet fails its own checksums, where the file has any (told by one that holds)."""
        if self._stream.codec_context.name != "ffv1" or packet.size == 0:
            return False
        whole = slices_are_whole(bytes(packet))
        self._has_checksums = self._has_checksums or whole
        return self._has_checksums and not whole

    def _run_to(self, number: int, may_be_late: bool) -> Frame:
        assert self._frames is not None
        first = True
        for decoded in self._frames:
            place = self._next if self.index.times is None else self.index.number_at(decoded.pts)
            if place is None or (first and may_be_late and not decoded.key_frame):
                continue  # after a seek, what comes before a whole picture was made from frames that are not there
            if first and may_be_late and place > number:
                raise _TooLateError
            first = False
            self._next = place + 1
            if place >= self._needed_from:
                frame = self._to_frame(decoded, place)
                self._decoded.put(str(place), frame, frame.nbytes)
                if place == number:
                    return frame
            if place > number:
                break
        else:
            self._frames = None
            if first and may_be_late:  # the seek came in behind the last frame
                raise _TooLateError
        raise UnreadableFrameError(self.path.name, number, "the data is damaged or missing")

    def _to_frame(self, decoded: av.VideoFrame, number: int) -> Frame:
        planes, model, depth, chroma, alpha = unpack(decoded)
        fmt = self._format or self._format_of(decoded, model, depth, chroma, alpha)
        same = (fmt.model, fmt.bit_depth, fmt.chroma, fmt.alpha) == (model, depth, chroma, alpha)
        if not same or (decoded.width, decoded.height) != (fmt.width, fmt.height):
            raise UnreadableFrameError(self.path.name, number, "its size or pixel layout differs from the first")
        return Frame(number, fmt, planes)

    def _read_format(self) -> PictureFormat:
        number = 0
        while True:
            try:
                return self.frame(number).format
            except UnreadableFrameError:
                number += 1
                if number >= min(len(self), CONFIRMED_FRAMES):
                    raise

    def _format_of(self, decoded: av.VideoFrame, model: Any, depth: int, chroma: str, alpha: bool) -> PictureFormat:
        context = self._stream.codec_context
        space, range_tag = int(decoded.colorspace), int(decoded.color_range)
        tags = (space, int(decoded.color_primaries), int(decoded.color_trc), range_tag)
        untagged = "bt601" if decoded.height <= SD_LINES else "bt709"
        jpeg_range = decoded.format.name.startswith("yuvj")
        full = jpeg_range or range_tag == 2 or (model != "yuv" and range_tag != 1)
        return PictureFormat(
            width=decoded.width,
            height=decoded.height,
            model=model,
            bit_depth=depth,
            chroma=chroma,
            alpha=alpha,
            full_range=full,
            matrix=_MATRIX_TAGS.get(space, untagged),
            pixel_aspect=self._stream.sample_aspect_ratio or Fraction(1),
            rate=self._rate(),
            field_order=_FIELD_ORDERS.get(int(context.field_order), "unknown"),
            colour_tags=replace_range(tags, full) if model == "yuv" else tags,
        )

    def _rate(self) -> Fraction:
        rate = self._stream.average_rate or self._stream.guessed_rate
        return Fraction(rate) if rate else Fraction(25)

    def _read_details(self) -> VideoDetails:
        return read_details(self._container, self._stream, self._is_variable())

    def _is_variable(self) -> bool:
        """Whether frames lie more than half a frame off an even spacing at the stated rate."""
        if self.index.times is None or self.index.length < 3:
            return False
        base = self._stream.time_base or Fraction(1, 1000)
        seconds = (self.index.times - self.index.times[0]) * float(base)
        even = np.arange(self.index.length) / float(self.format.rate)
        return bool(np.abs(seconds - even).max() > 0.5 / float(self.format.rate))

    def _read_notes(self) -> tuple[str, ...]:
        notes = []
        seconds = self.details.declared_seconds
        found = float(self.time_of(len(self) - 1) - self.time_of(0) + 1 / self.format.rate)
        if seconds is not None and self.index.complete and seconds > found + max(1.0, 2 / float(self.format.rate)):
            notes.append(
                f"The file announces {seconds:.1f} s but its picture ends after {found:.1f} s ({len(self)} frames): "
                "it may have been cut off. The frames that are there can be used."
            )
        notes += gap_notes(self.index.times)
        if self.details.variable_rate:
            notes.append("The frames are not evenly spaced in time; their own times are kept in the output.")
        return tuple(notes)


def _disk_facts(path: Path) -> tuple[int, int, int] | None:
    """What tells at a glance whether the file is still the same; None while it cannot be reached."""
    try:
        facts = path.stat()
    except OSError:
        return None
    return facts.st_size, facts.st_mtime_ns, facts.st_ino


class _TooLateError(Exception):
    """The decoder's first frame after a seek lies behind the one wanted."""


def replace_range(tags: tuple[int, int, int, int], full: bool) -> tuple[int, int, int, int]:
    """The tags with the range stated where the layout implies full range."""
    return (*tags[:3], 2) if full else tags
