"""What was found about a reel, line by line in words, to stand beside what is declared."""

from __future__ import annotations

from dataclasses import dataclass

from grevin.core.intake.declared import Declared
from grevin.core.intake.examination import Examination
from grevin.core.media.image_sequence import ImageSequence
from grevin.core.media.opening import Reader
from grevin.core.media.video_details import AudioTrack
from grevin.core.media.video_file import VideoFile
from grevin.core.picture.format import PictureFormat
from grevin.core.timebase.rates import parse_rate

SCAN_WORDS = {
    "progressive": "progressive", "top_first": "top field first", "bottom_first": "bottom field first",
    "unknown": "not stated",
}  # fmt: skip
MATRIX_WORDS = {"bt601": "BT.601", "bt709": "BT.709", "bt2020": "BT.2020"}
# ITU-T H.273, tables 2 and 3: the codes met in digitised material.
PRIMARIES_WORDS = {1: "BT.709", 4: "BT.470 M", 5: "BT.470 BG (625 lines)", 6: "SMPTE 170M (525 lines)", 9: "BT.2020"}
TRANSFER_WORDS = {
    1: "BT.709", 4: "gamma 2.2", 5: "gamma 2.8", 6: "SMPTE 170M", 8: "linear", 13: "sRGB", 14: "BT.2020 10 bit",
    16: "ST 2084", 18: "HLG",
}  # fmt: skip


@dataclass(frozen=True)
class Fact:
    """One line: its name, what the material says, what the picture shows.

    Attributes:
        field: name of the field of `Declared` that overrules it, "" if none does.
    """

    name: str
    found: str
    measured: str = ""
    field: str = ""


def aspect_text(fmt: PictureFormat) -> str:
    """Pixel aspect and the displayed shape."""
    shape = float(fmt.width * fmt.pixel_aspect / fmt.height)
    return f"{fmt.pixel_aspect.numerator}:{fmt.pixel_aspect.denominator} (shown {shape:.2f}:1)"


def facts(reader: Reader, examined: Examination | None, declared: Declared | None = None) -> list[Fact]:
    """Everything that was found about a reel; how long it runs at the declared speed stands beside its length."""
    fmt = reader.format
    rate = f"{float(fmt.rate):.6g} frames/s"
    scan = "" if examined is None else _scan_measured(examined)
    seconds = float(len(reader) / fmt.rate)
    lines = [
        Fact("Length", f"{len(reader)} frames, {_minutes(seconds)}", _running(len(reader), declared)),
        Fact("Picture size", f"{fmt.width}x{fmt.height}"),
        Fact("Pixel aspect", aspect_text(fmt), field="pixel_aspect"),
        Fact("Rate", rate, field="rate"),
        Fact("Fields", SCAN_WORDS[fmt.field_order], scan, "field_order"),
        Fact("Samples", _samples(fmt)),
        Fact("Range", "full" if fmt.full_range else "limited", _range_measured(examined), "full_range"),
        Fact("Matrix", _matrix(fmt), field="matrix" if fmt.model == "yuv" else ""),
        Fact("Primaries", PRIMARIES_WORDS.get(fmt.colour_tags[1], "not stated")),
        Fact("Transfer", "linear" if fmt.sample == "half" else TRANSFER_WORDS.get(fmt.colour_tags[2], "not stated")),
    ]
    return lines + (_file_facts(reader) if isinstance(reader, VideoFile) else _sequence_facts(reader))


def _minutes(seconds: float) -> str:
    return f"{seconds // 60:.0f} min {seconds % 60:04.1f} s"


def _running(length: int, declared: Declared | None) -> str:
    speed = declared.running_speed if declared is not None else None
    return "" if speed is None else f"{_minutes(float(length / parse_rate(speed)))} at {speed} frames/s"


def _samples(fmt: PictureFormat) -> str:
    kind = {"yuv": f"Y'CbCr {fmt.chroma}", "rgb": "R'G'B'", "grey": "grey"}[fmt.model]
    return f"{kind}, {fmt.bit_depth} bit{' floating point' if fmt.sample == 'half' else ''}{', alpha' * fmt.alpha}"


def _matrix(fmt: PictureFormat) -> str:
    if fmt.model != "yuv":
        return "none (not Y'CbCr)"
    stated = fmt.colour_tags[0] not in {2, 3}
    return MATRIX_WORDS[fmt.matrix] + ("" if stated else ", not stated: taken from the size")


def _scan_measured(examined: Examination) -> str:
    if examined.scan == "unknown":
        return "cannot be told: too little motion"
    return f"{SCAN_WORDS[examined.scan]}, {max(examined.votes[:3])} of {sum(examined.votes)} places"


def _range_measured(examined: Examination | None) -> str:
    return "" if examined is None else f"codes {examined.lowest} to {examined.highest} of 255"


def _file_facts(reader: VideoFile) -> list[Fact]:
    details = reader.details
    timing = "every frame has its own time" if details.variable_rate else "even"
    lines = [
        Fact("Timecode", details.timecode or "none", field="timecode"),
        Fact("Timing", timing),
        Fact("Container and codec", f"{details.container.split(',')[0]}, {details.codec}"),
    ]
    lines += [Fact(f"Sound {place}", _track(track)) for place, track in enumerate(details.audio, 1)]
    return lines if details.audio else [*lines, Fact("Sound", "none")]


def _track(track: AudioTrack) -> str:
    channels = {1: "mono", 2: "stereo"}.get(track.channels, f"{track.channels} channels")
    language = f", {track.language}" if track.language else ""
    return f"{channels}, {track.codec}, {track.sample_rate / 1000:g} kHz{language}"


def _sequence_facts(reader: ImageSequence) -> list[Fact]:
    last = reader.first_number + len(reader) - 1
    return [
        Fact("Timecode", "none", field="timecode"),
        Fact("Pictures", f"{reader.pattern.name}, {reader.first_number} to {last}"),
        Fact("Missing", f"{len(reader.missing)} pictures" if reader.missing else "none"),
        Fact("Sound", "none"),
    ]
