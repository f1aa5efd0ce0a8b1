"""One run: a range of a reel under a treatment into one output, written aside, read back, then named."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path
from typing import Literal

from grevin.core.cache import ByteCache
from grevin.core.errors import ProofError, UnreadableFrameError, UsageError
from grevin.core.intake.reel import DeclaredReel
from grevin.core.measure.level_range import outside_range
from grevin.core.media.checksums import frame_checksum
from grevin.core.media.codings import Coding, Quality, coding_for
from grevin.core.media.image_sequence import ImageSequence, SequencePattern, is_pattern
from grevin.core.media.opening import Reader
from grevin.core.media.recoding import recoded
from grevin.core.media.video_file import VideoFile
from grevin.core.media.video_writer import Start
from grevin.core.media.writing import Writer, open_writer, translated
from grevin.core.parallel import in_parallel
from grevin.core.picture.depth import in_bits
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.render.coded import Coded
from grevin.core.render.evidence_files import EvidenceWriter
from grevin.core.render.ledger import check_ledger_path, write_ledger
from grevin.core.render.making import Making
from grevin.core.render.proof import Proof, Record, Written
from grevin.core.render.ready import ReadyFrames
from grevin.core.render.retimed import Retimed
from grevin.core.render.verify import as_image_frame
from grevin.core.timebase.counters import Counter
from grevin.core.treatment.budget import cache_bytes
from grevin.core.treatment.plan import Plan, TreatedReel
from grevin.core.treatment.studies import Studies
from grevin.core.treatment.verdicts import Verdicts

Sound = Literal["where it fits", "always", "padded", "re-timed", "never"]


MOST_TOLD = 40  # sentences about shots


@dataclass(frozen=True)
class RunRequest:
    """What is to be made.

    Attributes:
        output: file or sequence pattern.
        frames: frames of the reel.
        evidence: folder for evidence pictures, or None.
        ledger: file for the ledger, or None.
        overwrite: whether an output of that name may be replaced.
        verdicts: what a person said on single places.
        sound: carried over where it fits the picture, always, or never; or made as long as the picture, by silence or
            a cut at its end, or by another speed.
        bits: depth of the output's samples; None for the material's own.
        dither: whether what is rounded is dithered (`picture.depth`).
        coding: of a video (`media.codings`); "" by the ending of its name. One with loss has its own depths.
        quality: of a coding with loss.
    """

    output: Path
    frames: range
    evidence: Path | None = None
    ledger: Path | None = None
    overwrite: bool = False
    verdicts: Verdicts = field(default_factory=Verdicts)
    sound: Sound = "where it fits"
    bits: int | None = None
    dither: bool = False
    coding: str = ""
    quality: Quality = "fine"

    @property
    def video(self) -> Coding | None:
        """How a video is coded; None for a picture sequence.

        Raises:
            UsageError: for a coding that does not exist or another ending.
        """
        return None if is_pattern(self.output) else coding_for(self.output, self.coding)

    def for_material(self, fmt: PictureFormat) -> RunRequest:
        """The same in the depth that is written of pictures of a format.

        Raises:
            GrevinError: for a coding, depth or ending that cannot be.
        """
        coding = self.video
        bits = self.bits if coding is None or coding.lossless else coding.bits_for(fmt)
        in_bits(fmt, bits)
        return replace(self, bits=bits)


def run(
    material: Reader | DeclaredReel, plan: Plan, request: RunRequest, progress: Progress,
    studies: Studies | None = None, ready: ReadyFrames | None = None,
) -> Proof:  # fmt: skip
    """Write and prove one output; whatever goes wrong, nothing half-written is left.

    Args:
        material: the reel.
        plan: what is done to it.
        request: what is to be made.
        progress: told of what is done, and asked whether to stop.
        studies: where what steps learned of the reel is kept.
        ready: frames that were made before, and where those that are made now are kept; None to make all anew.

    Raises:
        GrevinError: of the kind that fits what went wrong; `CancelledError` if asked to stop.
    """
    if request.ledger is not None:
        check_ledger_path(request.ledger)
    reel = material if isinstance(material, DeclaredReel) else DeclaredReel(material)
    reader = reel.reader
    coding = request.video
    request = request.for_material(reel.format)  # what cannot be written is refused before anything is studied
    cache = ByteCache(cache_bytes(plan, reel.format))
    treated = TreatedReel(reel, plan, cache, verdicts=request.verdicts, studies=studies)
    if coding is not None:
        _check_sizes(treated, coding, request.bits)
    treated.prepare(progress, request.frames)
    retimed = Retimed.of(treated.timeline, request.frames, reel.format.rate)
    _check_readable(reader, retimed)
    start = _start(reel, retimed, request)
    outputs = retimed.outputs if retimed.timeline.moves else None
    fmt = in_bits(treated.format, request.bits)
    fmt = fmt if coding is None else coding.format_of(fmt)
    writer = open_writer(
        request.output, reader, fmt, request.frames, request.overwrite, start, outputs, coding, request.quality
    )
    evidence: EvidenceWriter | None = None
    try:
        if request.evidence is not None:
            pictures = reader.pattern.folder if isinstance(reader, ImageSequence) else None
            evidence = EvidenceWriter(request.evidence, treated, pictures)
        proof, coded = _write(treated, retimed, writer, evidence, request, progress, ready)
        _read_back(writer, request, retimed, proof, progress, coded)
        if request.ledger is not None:
            write_ledger(request.ledger, proof.rows)
        if evidence is not None:
            evidence.commit()
        with translated(request.output):
            writer.commit()
    except BaseException:
        with contextlib.suppress(OSError):
            writer.discard()
        if evidence is not None:
            evidence.discard()
        raise
    if request.sound == "always" and not retimed.keeps_length:
        before, after = (f"{float(seconds):.2f}" for seconds in retimed.seconds)
        proof.notes = (f"The sound was kept though the picture plays {after} s and it {before} s.", *proof.notes)
    order = dict.fromkeys(words for treatment in plan.treatments() for words in treatment.out_of_order())
    told = treated.told(request.frames)[:MOST_TOLD]
    proof.notes = (*writer.notes, *retimed.notes(treated), *told, *order, *proof.notes)
    return proof


def _check_sizes(treated: TreatedReel, coding: Coding, bits: int | None) -> None:
    """Refuse what a coding cannot carry before anything is studied; of fields only a study may tell.

    Raises:
        OutputError: with what can carry it.
    """
    for chain in treated.chains():
        coding.format_of(replace(in_bits(chain.size_format, bits), field_order="progressive"))


def _start(reel: DeclaredReel, retimed: Retimed, request: RunRequest) -> Start:
    """How the output lies in time, and whether the sound goes with it."""
    fits = reel.keeps_times and retimed.keeps_length
    how: Literal["carried", "padded", "re-timed", "none"]
    if request.sound in {"padded", "re-timed"} and not fits:
        how = request.sound
    else:
        how = "none" if request.sound == "never" or not (fits or request.sound == "always") else "carried"
    why = retimed.why_silent if reel.keeps_times else Start.why_silent
    why = "as you asked" if request.sound == "never" else f"{why}; it can be padded or re-timed"
    moved = retimed.timeline.moves or not reel.keeps_times
    seconds = (_source_seconds(reel, request.frames), retimed.seconds[1])
    return Start(_timecode_at(reel, request.frames[0]), how, seconds, moved, why)


def _source_seconds(reel: DeclaredReel, frames: range) -> Fraction:
    """How long a run plays at the material's own rate, whatever was declared: the sound runs at that."""
    return Fraction(len(frames)) / reel.reader.format.rate


def _timecode_at(reel: DeclaredReel, number: int) -> str | None:
    """Timecode of a frame, if the reel has any; one that cannot be understood is carried over as it is."""
    found = reel.reader.details.timecode if isinstance(reel.reader, VideoFile) else None
    first = reel.declared.timecode or found
    if first is None:
        return None
    try:
        return Counter("timecode", reel.format.rate, first).text(number)
    except UsageError:
        return first


def _check_readable(reel: Reader, retimed: Retimed) -> None:
    if not isinstance(reel, ImageSequence):
        return  # a video file tells only by decoding
    copied = set(retimed.copied)
    missing = [number for number in reel.missing if number - reel.first_number in copied]
    if missing:
        reason = f"{len(missing)} picture(s) are missing from the range, first {missing[0]}"
        raise UnreadableFrameError(reel.pattern.name, missing[0] - reel.first_number, reason)


def _write(
    treated: TreatedReel, retimed: Retimed, writer: Writer, evidence: EvidenceWriter | None, request: RunRequest,
    progress: Progress, ready: ReadyFrames | None,
) -> tuple[Proof, Coded | None]:  # fmt: skip
    """Write the frames; what was done, and what a coding with loss has to give back."""
    outputs = retimed.outputs
    record = Record(Proof(str(request.output), left_out=retimed.left_out, rate=retimed.timeline.rate))
    making = Making(treated, outputs, request.bits, request.dither, ready)
    pictures, coding = is_pattern(request.output), request.video
    lossy = coding if coding is not None and not coding.lossless else None
    coded = Coded(len(outputs)) if lossy is not None else None

    def make(number: int) -> tuple[Written, Frame, float]:
        written = making.written(number)
        frame = written.frame if lossy is None else recoded(written.frame, lossy.format_of(written.frame.format))
        return written, frame, outside_range(frame)

    progress.begin(len(outputs), "Writing")
    for written, frame, outside in in_parallel(make, outputs):
        with translated(request.output):
            writer.write(frame)
        if coded is not None:
            coded.remember(frame)
        record.add(written, frame_checksum(as_image_frame(frame) if pictures else frame), outside)
        if evidence is not None:
            evidence.write(written.number, written.steps)
        progress.advance()
    with translated(request.output):
        writer.finish()
    return record.finish(), coded


def _read_back(
    writer: Writer, request: RunRequest, retimed: Retimed, proof: Proof, progress: Progress, coded: Coded | None
) -> None:  # fmt: skip
    """Read what was written; of a coding with loss the proof then holds the checksums of what comes back."""
    count = len(retimed.outputs)
    progress.begin(count, "Reading back")
    reader = _aside_reader(writer, request.output)
    try:
        if len(reader) != count:
            raise ProofError(
                f"{request.output.name} reads back with {len(reader)} frames instead of {count}.",
                "Nothing was named; try another disk.",
            )
        for place, expected in enumerate(proof.checksums):
            frame = reader.frame(place)
            found = frame_checksum(frame)
            if coded is not None:
                coded.compare(place, retimed.outputs[place], frame)
                proof.checksums[place] = found
            elif found != expected:
                raise ProofError(
                    f"Frame {retimed.outputs[place]} of {request.output.name} does not read back as written.",
                    "Nothing was named; try another disk.",
                )
            proof.frames += 1
            progress.advance()
        if coded is not None:
            coding = request.video
            assert coding is not None
            proof.coding, proof.coded_db = coding.label, coded.decibels
    finally:
        reader.close()


def _aside_reader(writer: Writer, output: Path) -> Reader:
    if is_pattern(output):
        pattern: SequencePattern = writer.pattern  # type: ignore[attr-defined]
        return ImageSequence(SequencePattern(writer.aside, pattern.prefix, pattern.digits, pattern.suffix))
    return VideoFile(writer.aside)
