"""What can be known before an output is written: whether one may, how large it becomes, whether there is room."""

from __future__ import annotations

import os
import shutil
from dataclasses import dataclass, replace
from pathlib import Path

from grevin.core.errors import NoSpaceError, OutputError, UnreadableFrameError
from grevin.core.intake.reel import DeclaredReel
from grevin.core.media.expected_size import coded_bytes, picture_bytes
from grevin.core.media.video_file import VideoFile
from grevin.core.memory import check_memory, free_bytes
from grevin.core.picture.depth import in_depth
from grevin.core.picture.frame import Frame
from grevin.core.picture.scaling import scaled
from grevin.core.render.delivered import as_whole_frame
from grevin.core.render.request import RunRequest
from grevin.core.treatment.plan import Plan, TreatedReel

SAMPLED = 12  # frames that are coded to see how large they become, from the middle of the run
PICTURES = 2  # of a sequence
SURE = 0.6  # share of the expected size that is needed in any case: other frames may be plainer
MOST_BYTES_A_PIXEL = 8  # four samples of 16 bits: no coding makes more of a picture
USUAL_SAMPLE_BYTES = 3  # of sound: 24 bits, between those of 16 and of 32
GIGA = 1e9


def _folder_for(output: Path) -> Path:
    """The folder of an output, or the one that it will be made in.

    Raises:
        OutputError: if one may not write there.
    """
    folder = output.absolute().parent
    while not folder.exists():
        folder = folder.parent
    if not folder.is_dir():
        raise OutputError(f"{output} cannot be written: {folder} is a file.", "Choose another folder.")
    if not os.access(folder, os.W_OK):
        raise OutputError(
            f"{output} cannot be written: you may not write into {folder}.", "Choose a folder you may write to."
        )
    return folder


def expected_bytes(reel: DeclaredReel, plan: Plan, request: RunRequest) -> int:
    """About how large an output becomes: some frames of the source, at its size, are coded as it will be.

    Args:
        reel: the material.
        plan: what is done to it.
        request: in the depth that is written (`RunRequest.for_material`).

    Returns:
        Bytes of the pictures, without sound, or of the sound alone; 0 where that cannot be told.
    """
    if request.sound_alone:
        return _sound_bytes(reel, request.frames)
    coding, frames = request.video, request.frames
    middle = frames[max(0, (len(frames) - SAMPLED) // 2) :]
    some = _readable(reel, plan, middle[: SAMPLED if coding is not None else PICTURES], request)
    if not some:
        return 0
    try:
        if coding is None:
            size = picture_bytes(some, request.output.suffix)
        else:
            size = coded_bytes([as_whole_frame(one, request) for one in some], coding, request.quality)
    except (OutputError, OSError):  # a step may bring them into a shape that can be; no room for a trial is no fault
        return 0
    return size * len(frames) // len(some)


def _sound_bytes(reel: DeclaredReel, frames: range) -> int:
    tracks = reel.reader.details.audio if isinstance(reel.reader, VideoFile) else ()
    if not tracks:
        raise OutputError("The material has no sound.", "Choose another version.")
    a_second = sum(track.sample_rate * track.channels for track in tracks) * USUAL_SAMPLE_BYTES
    return round(a_second * len(frames) / reel.format.rate)


@dataclass(frozen=True)
class Room:
    """What an output needs and what there is, in bytes.

    Attributes:
        expected: about how large it becomes; 0 where that cannot be told.
        free: room on the disk that it goes to.
        memory: what one picture takes while it is made; 0 where that is not worth a word.
        memory_free: what there is.
    """

    expected: int
    free: int
    memory: int = 0
    memory_free: int = 0

    @property
    def lacks(self) -> bool:
        """Whether there is clearly too little."""
        return SURE * self.expected > self.free

    @property
    def lacks_memory(self) -> bool:
        """Whether no picture can be made."""
        return self.memory > self.memory_free


def room_for(reel: DeclaredReel, plan: Plan, request: RunRequest) -> Room:
    """What an output needs and what there is.

    Raises:
        OutputError: if one may not write there.
    """
    folder = _folder_for(request.output)
    memory = 0 if request.sound_alone else TreatedReel(reel, plan).at(request.frames.start).bytes_to_make
    return Room(expected_bytes(reel, plan, request), shutil.disk_usage(folder).free, memory, free_bytes())


def check_beforehand(reel: DeclaredReel, plan: Plan, request: RunRequest) -> None:
    """Refuse what cannot be written, before anything is studied.

    Raises:
        OutputError: if one may not write there.
        NoMemoryError: if there is no memory for one picture, with the figures.
        NoSpaceError: if there is clearly no room, with the figures.
    """
    chain, count = TreatedReel(reel, plan).at(request.frames.start), len(request.frames)
    fmt = chain.size_format
    if not request.sound_alone:
        check_memory(fmt, chain.bytes_to_make)
    if shutil.disk_usage(_folder_for(request.output)).free > MOST_BYTES_A_PIXEL * fmt.width * fmt.height * count:
        return  # there is room whatever they become: no trial
    room = room_for(reel, plan, request)
    if room.lacks:
        raise NoSpaceError(
            f"{request.output.name} needs about {room.expected / GIGA:.2f} GB, and {room.free / GIGA:.2f} GB are free "
            "there.",
            "Free some space (“grevin kept --clear” forgets treated frames), or choose another disk or coding.",
        )  # fmt: skip


def _readable(reel: DeclaredReel, plan: Plan, numbers: range, request: RunRequest) -> list[Frame]:
    """Some frames, plainly at the size of what becomes of them, in the depth that is written."""
    treated, found = TreatedReel(reel, plan), []
    for number in numbers:
        try:
            frame = reel.frame(number)
        except UnreadableFrameError:
            continue
        fmt = treated.at(number).size_format
        if (fmt.width, fmt.height) != (frame.format.width, frame.format.height):
            sized = {name: getattr(fmt, name) for name in ("width", "height", "pixel_aspect")}
            frame = scaled(frame, replace(frame.format, **sized)).rounded()
        found.append(in_depth(frame, request.bits, request.dither))
    return found
