"""One run: a range of a reel under a treatment into one output, written aside, read back, then named."""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Iterator
from pathlib import Path

from grevin.core.errors import ProofError, UnreadableFrameError
from grevin.core.intake.reel import DeclaredReel
from grevin.core.measure.level_range import outside_range
from grevin.core.media.checksums import frame_checksum
from grevin.core.media.image_sequence import ImageSequence, SequencePattern, is_pattern
from grevin.core.media.opening import Reader
from grevin.core.media.still_writer import as_picture
from grevin.core.media.video_file import VideoFile
from grevin.core.media.writing import Writer, open_writer, translated
from grevin.core.memory import workers_for
from grevin.core.parallel import in_parallel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.render.ahead import Ahead, Crew
from grevin.core.render.beforehand import check_beforehand
from grevin.core.render.coded import Coded
from grevin.core.render.delivered import delivered
from grevin.core.render.evidence_files import EvidenceWriter
from grevin.core.render.in_time import start_of
from grevin.core.render.ledger import check_ledger_path, write_ledger
from grevin.core.render.playing import black_frame
from grevin.core.render.prepared import Prepared, prepared
from grevin.core.render.proof import Proof, Record, Written
from grevin.core.render.ready import ReadyFrames
from grevin.core.render.request import RunRequest
from grevin.core.render.retimed import Retimed
from grevin.core.render.sound_run import run_sound
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.studies import Studies

SCRATCH = Path(tempfile.gettempdir()) / "the notes of the run"  # ledger rows, pictures to compare with
MOST_TOLD = 40  # sentences about shots


def run(
    material: Reader | DeclaredReel, plan: Plan, request: RunRequest, progress: Progress,
    studies: Studies | None = None, ready: ReadyFrames | None = None, crew: Crew | None = None,
) -> Proof:  # fmt: skip
    """Write and prove one output; whatever goes wrong, nothing half-written is left.

    Args:
        material: the reel.
        plan: what is done to it.
        request: what is to be made.
        progress: told of what is done, and asked whether to stop.
        studies: where what steps learned of the reel is kept.
        ready: frames that were made before, and where those that are made now are kept; None to make all anew.
        crew: who makes them ahead, into the same store; None to make all here.

    Raises:
        GrevinError: of the kind that fits what went wrong; `CancelledError` if asked to stop.
    """
    if request.ledger is not None:
        check_ledger_path(request.ledger)
    reel = material if isinstance(material, DeclaredReel) else DeclaredReel(material)
    check_beforehand(reel, plan, request.for_material(reel.format))
    if request.sound_alone:
        return run_sound(reel, plan, request, progress, studies)
    made = prepared(reel, plan, request, progress, studies, ready)
    reader, request, retimed = reel.reader, made.request, made.retimed
    _check_readable(reader, retimed)
    start = start_of(reel, retimed, request)
    outputs = retimed.outputs if retimed.timeline.moves else None
    writer = open_writer(
        request.output, reader, made.format, request.frames, request.overwrite, start, outputs, made.coding,
        request.quality,
    )  # fmt: skip
    evidence: EvidenceWriter | None = None
    try:
        if request.evidence is not None:
            pictures = reader.pattern.folder if isinstance(reader, ImageSequence) else None
            evidence = EvidenceWriter(request.evidence, made.treated, pictures)
        proof, coded = _write(made, writer, evidence, progress, crew)
        _read_back(writer, made, proof, progress, coded)
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
    told = made.treated.told(request.frames)[:MOST_TOLD]
    proof.notes = (*writer.notes, *retimed.notes(made.treated), *told, *order, *proof.notes)
    return proof


def _check_readable(reel: Reader, retimed: Retimed) -> None:
    if not isinstance(reel, ImageSequence):
        return  # a video file tells only by decoding
    copied = set(retimed.copied)
    missing = [number for number in reel.missing if number - reel.first_number in copied]
    if missing:
        reason = f"{len(missing)} picture(s) are missing from the range, first {missing[0]}"
        raise UnreadableFrameError(reel.pattern.name, missing[0] - reel.first_number, reason)


def _write(
    made: Prepared, writer: Writer, evidence: EvidenceWriter | None, progress: Progress, crew: Crew | None
) -> tuple[Proof, Coded | None]:
    """Write the frames; what was done, and what a coding with loss has to give back."""
    request, retimed, making, coding = made.request, made.retimed, made.making, made.coding
    outputs = retimed.outputs
    proof = Proof(str(request.output), left_out=retimed.left_out, rate=retimed.timeline.rate, black=made.black)
    record = Record(proof)
    suffix = request.output.suffix.lower() if is_pattern(request.output) else ""
    coded = Coded(outputs, made.black) if coding is not None and not coding.lossless else None
    ahead = None if crew is None else Ahead(crew, outputs, making.lacks, progress)

    def make(number: int) -> tuple[Written, Frame, float]:
        if ahead is not None:
            ahead.wait_for(number)
        written = making.written(number)
        frame = delivered(written.frame, request)
        return written, frame, outside_range(frame)

    def put(frame: Frame) -> str:
        with translated(request.output):
            writer.write(frame)
        with translated(SCRATCH):
            if coded is not None:
                coded.remember(frame)
        return frame_checksum(as_picture(frame, suffix) if suffix else frame)

    before, after = made.black
    progress.begin(len(outputs) + before + after, "Writing")
    proof.checksums += [put(one) for one in _black(before, made.format, progress)]
    waiting = contextlib.nullcontext() if ahead is None else contextlib.closing(ahead)
    threads = workers_for(max(chain.bytes_to_make for chain in made.treated.chains()))
    # nobody waits for workers any more then
    with contextlib.closing(in_parallel(make, outputs, threads)) as frames, waiting:
        for written, frame, outside in frames:
            checksum = put(frame)
            with translated(SCRATCH):
                record.add(written, checksum, outside, ahead is not None and ahead.made(written.number))
            if evidence is not None:
                evidence.write(written.number, written.steps)
            progress.advance()
    proof.checksums += [put(one) for one in _black(after, made.format, progress)]
    with translated(request.output):
        writer.finish()
    proof = record.finish()
    proof.notes += () if ahead is None else ahead.notes()
    return proof, coded


def _black(count: int, fmt: PictureFormat, progress: Progress) -> Iterator[Frame]:
    """So many frames of it."""
    for _ in range(count):
        yield black_frame(fmt)
        progress.advance()


def _read_back(writer: Writer, made: Prepared, proof: Proof, progress: Progress, coded: Coded | None) -> None:
    """Read what was written; of a coding with loss the proof then holds the checksums of what comes back."""
    request, count = made.request, len(proof.checksums)
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
                coded.compare(place, frame)
                proof.checksums[place] = found
            elif found != expected:
                raise ProofError(
                    f"Frame {made.retimed.outputs[place]} of {request.output.name} does not read back as written.",
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
