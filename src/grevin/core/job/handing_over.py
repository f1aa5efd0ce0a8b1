"""Handing over: what was written from a job, with all that proves it, in one folder that explains itself.

Files of the folder can be checked without Grevin: `sha256sum -c checksums.sha256` for the files, FFmpeg's `framemd5`
for the frames.
"""

from __future__ import annotations

import hashlib
import json
import shutil
from contextlib import closing
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from grevin.core.errors import JobFileError, MediaError, OutputError, UsageError
from grevin.core.intake.probe import probe
from grevin.core.job.document import reel_stem
from grevin.core.job.job_file import JobFile, export_job
from grevin.core.job.measured import MeasuredFile
from grevin.core.job.opening import open_entry
from grevin.core.media.checksums import frame_checksum
from grevin.core.media.image_sequence import is_pattern, parse_pattern
from grevin.core.media.opening import Reader, open_reel
from grevin.core.media.writing import translated
from grevin.core.progress import Progress
from grevin.core.render.ledger import write_ledger
from grevin.core.survey.report import Reported
from grevin.core.survey.report_files import write_report
from grevin.core.survey.survey import run_survey
from grevin.core.timebase.counters import Counter

CHECKSUMS, README, FRAMES = "checksums.sha256", "README.txt", ".framemd5"
BLOCK = 4 << 20  # bytes that are copied at once


@dataclass
class HandedOver:
    """What lies in the folder.

    Attributes:
        folder: where.
        outputs: names of the outputs in it.
        missing: outputs of the job that are no longer where they were written.
        whole: videos without loss, by the reels that they were made of.
    """

    folder: Path
    outputs: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    whole: dict[int, list[str]] = field(default_factory=dict)

    def sentence(self) -> str:
        """The result in words."""
        gone = f" No longer there: {', '.join(self.missing)}." if self.missing else ""
        count = len(self.outputs)
        what = "1 output with its proof lies" if count == 1 else f"{count} outputs with their proofs lie"
        return f"{what} in {self.folder}.{gone}"


def hand_over(job: Path, folder: Path, progress: Progress, report: bool = False) -> HandedOver:
    """Gather the newest output of every name; written aside, named when all of it is there.

    Args:
        job: the job file.
        folder: the folder to make.
        progress: told of what is done, and asked whether to stop.
        report: whether reels, and lossless videos of the whole of one, are measured for condition reports.

    Raises:
        GrevinError: if the job has no output that is still there, or the folder is not empty or cannot be written.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise OutputError(f"{folder} is there already.", "Give a folder that does not exist or is empty.")
    aside = folder.with_name(f".{folder.name}.part")
    shutil.rmtree(aside, ignore_errors=True)
    done = HandedOver(folder)
    try:
        with translated(folder), closing(JobFile.open(job)) as held:
            aside.mkdir(parents=True)
            sums = _gather(held, aside, done, progress)
            if not done.outputs:
                raise JobFileError(f"{job.name} has no output that is still there.", "Write one first.")
            _check_all(aside, done, progress)
            if report:
                _report(held, aside, done, progress)
            _write_json(aside / "job.json", export_job(job))
            (aside / README).write_text(_readme(aside, done), encoding="utf-8")
            _sum_up(aside, sums)
            if folder.exists():
                folder.rmdir()
            aside.replace(folder)
    finally:
        shutil.rmtree(aside, ignore_errors=True)
    return done


def _gather(held: JobFile, aside: Path, done: HandedOver, progress: Progress) -> dict[str, str]:
    """Copy outputs, write what proves each; the checksums of what was copied, by names in the folder."""
    sums: dict[str, str] = {}
    known: set[str] = set()
    for place, ((done_at, proof), reel) in enumerate(zip(held.runs(), held.run_reels(), strict=True)):
        output = Path(proof["output"])
        if str(output) in known:
            continue
        known.add(str(output))
        files = _files_of(output)
        if not files:
            done.missing.append(output.name)
            continue
        name = _free_name(aside, output.stem if is_pattern(output) else output.name)
        own = aside / (name if is_pattern(output) else ".")
        own.mkdir(exist_ok=True)
        progress.begin(sum(path.stat().st_size for path in files), f"Copying {output.name}")
        for path in files:
            target = own / (path.name if is_pattern(output) else name)
            sums[str(target.relative_to(aside))] = _copied(path, target, progress)
        done.outputs.append(name)
        if not is_pattern(output) and not proof.get("coding") and not proof.get("sound"):
            done.whole.setdefault(reel, []).append(name)
        _write_json(aside / f"{name}.proof.json", {**proof, "written_at": done_at, "output": name})
        if proof.get("sound"):
            continue
        write_ledger(aside / f"{name}.ledger.csv", held.ledger(place))
        reader = open_reel(own / output.name if is_pattern(output) else own / name, progress)
        with closing(reader):
            (aside / f"{name}{FRAMES}").write_text(_frame_sums(reader, held.checksums(place)), encoding="utf-8")
    return sums


def _check_all(aside: Path, done: HandedOver, progress: Progress) -> None:
    """Nothing is handed over that is not what was written.

    Raises:
        OutputError: if an output was changed since.
    """
    proof = FolderProof()
    for name in done.outputs:
        if (aside / f"{name}{FRAMES}").exists():
            _check_frames(aside, name, proof, progress)
    if proof.offending:
        name, number = proof.offending[0]
        raise OutputError(f"{name} is no longer what was written: frame {number} differs.", "Write it again.")


def _files_of(output: Path) -> list[Path]:
    if is_pattern(output):
        pattern = parse_pattern(output)
        return sorted(output.parent.glob(f"{pattern.prefix}*{pattern.suffix}")) if output.parent.is_dir() else []
    return [output] if output.is_file() else []


def _free_name(folder: Path, name: str) -> str:
    """A name that nothing in the folder has."""
    plain, again = Path(name.split("%")[0].rstrip("._") or "pictures" if "%" in name else name), 2
    wanted = plain.name
    while (folder / wanted).exists():
        wanted, again = f"{plain.stem}-{again}{plain.suffix}", again + 1
    return wanted


def _copied(path: Path, target: Path, progress: Progress) -> str:
    """Copy a file; its SHA-256."""
    digest = hashlib.sha256()
    with path.open("rb") as source, target.open("wb") as copy:
        while block := source.read(BLOCK):
            copy.write(block)
            digest.update(block)
            progress.advance(len(block))
    shutil.copystat(path, target)
    return digest.hexdigest()


def _frame_sums(reader: Reader, sums: list[str]) -> str:
    """Checksums of frames as FFmpeg's muxer `framemd5` writes them (version 2)."""
    fmt = reader.format
    size = sum(height * width for height, width in fmt.plane_shapes()) * fmt.dtype.itemsize
    base = 1 / fmt.rate
    head = (
        "#format: frame checksums", "#version: 2", "#hash: MD5", "#software: Grevin",
        f"#tb 0: {base.numerator}/{base.denominator}", "#media_type 0: video", "#codec_id 0: rawvideo",
        f"#dimensions 0: {fmt.width}x{fmt.height}",
        f"#sar 0: {fmt.pixel_aspect.numerator}/{fmt.pixel_aspect.denominator}",
        "#stream#, dts,        pts, duration,     size, hash",
    )  # fmt: skip
    rows = (f"0, {n:10}, {n:10}, {1:8}, {size:8}, {checksum}" for n, checksum in enumerate(sums))
    return "\n".join((*head, *rows)) + "\n"


def _write_json(path: Path, data: Any) -> None:
    path.write_text(json.dumps(data, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


def _report(held: JobFile, aside: Path, done: HandedOver, progress: Progress) -> None:
    """The condition of every reel as it came, and of every output of the whole of one beside that."""
    for reel in held.document.reels:
        with closing(open_entry(reel, held.path, progress, patient=True)) as source:
            survey = run_survey(source, range(len(source)), "full", progress, MeasuredFile(held.path))
            facts = probe(source.reader, None)
            counter = Counter("timecode", source.format.rate, facts["timecode"])
            names = {shot.first: shot.name for shot in reel.shots}
            about = Reported(reel.title, survey, facts, source, counter, names=names)
            write_report(aside / f"{reel_stem(Path(reel.path))}.condition.html", about)
            for name in done.whole.get(reel.id, ()):
                with closing(open_reel(aside / name, progress)) as treated:
                    if len(treated) == len(source):
                        later = run_survey(treated, range(len(treated)), "full", progress)
                        both = replace(about, after=later, treated=treated)
                        write_report(aside / f"{name}.condition.html", both)


def _readme(aside: Path, done: HandedOver) -> str:
    lines = [
        "This folder was handed over by Grevin, a program that restores digitised film and tape.", "",
        "What is in it:", "",
    ]  # fmt: skip
    for name in done.outputs:
        summary = json.loads((aside / f"{name}.proof.json").read_text(encoding="utf-8"))["summary"]
        lines += [f"* {name}", f"  {summary}", f"  {name}.proof.json: the proof with its figures"]
        if (aside / f"{name}{FRAMES}").exists():
            lines += [f"  {name}.ledger.csv: every mend, a row each",
                      f"  {name}{FRAMES}: a checksum for every frame, as FFmpeg's framemd5 writes them"]  # fmt: skip
        lines.append("")
    lines += [
        "* job.json: the reels, what was declared of them, and every treatment with its settings",
        f"* {CHECKSUMS}: a checksum for every file", "",
        "To check that nothing has changed:", "",
        f"  sha256sum -c {CHECKSUMS}        (the files)",
        "  grevin verify FOLDER             (the files, and every frame of every output)", "",
    ]  # fmt: skip
    return "\n".join(lines)


def _sum_up(folder: Path, known: dict[str, str]) -> None:
    """The checksums of all files, as `sha256sum` writes them."""
    rows = []
    for path in sorted(path for path in folder.rglob("*") if path.is_file()):
        name = str(path.relative_to(folder))
        rows.append(f"{known.get(name) or _sum_of(path)}  {name}\n")
    (folder / CHECKSUMS).write_text("".join(rows), encoding="utf-8")


def _sum_of(path: Path, progress: Progress | None = None) -> str:
    digest = hashlib.sha256()
    with path.open("rb") as stream:
        while block := stream.read(BLOCK):
            digest.update(block)
            if progress is not None:
                progress.advance(len(block))
    return digest.hexdigest()


@dataclass
class FolderProof:
    """What checking a folder found.

    Attributes:
        files, frames: how many agree.
        changed: files that differ.
        missing: files that are gone.
        added: files that were not handed over.
        offending: outputs and frames whose pictures differ.
    """

    files: int = 0
    frames: int = 0
    changed: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    added: list[str] = field(default_factory=list)
    offending: list[tuple[str, int]] = field(default_factory=list)

    @property
    def passed(self) -> bool:
        """Whether all that was handed over is there and the same."""
        return not (self.changed or self.missing or self.offending)

    def sentence(self) -> str:
        """The result in words."""
        more = f" Added since: {', '.join(self.added)}." if self.added else ""
        if self.passed:
            return f"Proved: {self.files} files and {self.frames} frames are as they were handed over.{more}"
        told = [f"{name} has changed" for name in self.changed] + [f"{name} is gone" for name in self.missing]
        told += [f"frame {number} of {name} is another picture" for name, number in self.offending[:1]]
        return f"Not proved: {'; '.join(told)}.{more}"

    def data(self) -> dict[str, Any]:
        """Plain data for `--json`."""
        offending = [{"output": name, "frame": number} for name, number in self.offending]
        return {"format": "grevin-verify-folder", "version": 1, "passed": self.passed, "summary": self.sentence(),
                "files": self.files, "frames": self.frames, "changed": self.changed, "missing": self.missing,
                "added": self.added, "offending": offending}  # fmt: skip


def verify_folder(folder: Path, progress: Progress) -> FolderProof:
    """Whether a folder is as it was handed over: every file, and every frame of every output.

    Raises:
        UsageError: if it is no such folder.
    """
    try:
        rows = (folder / CHECKSUMS).read_text(encoding="utf-8").splitlines()
        known = {name: checksum for checksum, name in (row.split("  ", 1) for row in rows if row.strip())}
    except (OSError, ValueError) as fault:
        raise UsageError(f"{folder} was not handed over by Grevin, or its {CHECKSUMS} is damaged.",
                         "Give the folder that “grevin handover” made.") from fault  # fmt: skip
    proof = FolderProof()
    inside = {name: folder / name for name in known if (folder / name).resolve().is_relative_to(folder.resolve())}
    proof.missing = [name for name in known if name not in inside or not inside[name].is_file()]
    there = {name: path for name, path in inside.items() if path.is_file()}
    progress.begin(sum(path.stat().st_size for path in there.values()), "Checking files")
    for name, path in there.items():
        same = _sum_of(path, progress) == known[name]
        proof.files += same
        proof.changed += [] if same else [name]
    own = {str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file()}
    proof.added = sorted(own - set(known) - {CHECKSUMS})
    for name in sorted(one.removesuffix(FRAMES) for one in there if one.endswith(FRAMES)):
        _check_frames(folder, name, proof, progress)
    return proof


def _check_frames(folder: Path, name: str, proof: FolderProof, progress: Progress) -> None:
    rows = (folder / f"{name}{FRAMES}").read_text(encoding="utf-8").splitlines()
    sums = [row.rsplit(",", 1)[1].strip() for row in rows if row and not row.startswith("#")]
    try:
        with closing(open_reel(folder / name, progress)) as reader:
            progress.begin(len(sums), f"Checking {name}")
            for number, expected in enumerate(sums):
                same = number < len(reader) and frame_checksum(reader.frame(number)) == expected
                proof.frames += same
                proof.offending += [] if same else [(name, number)]
                progress.advance()
    except MediaError:
        proof.offending.append((name, 0))
