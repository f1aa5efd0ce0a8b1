"""Opening what a person names, off the GUI thread: a job, files, folders, sequences."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from grevin.core.errors import GrevinError, MediaError
from grevin.core.intake.folder import find_material
from grevin.core.intake.reel import DeclaredReel
from grevin.core.job import opening
from grevin.core.job.document import Job, Reel, reel_stem
from grevin.core.job.job_file import JobFile
from grevin.core.job.opening import found_reel
from grevin.core.keys import content_key
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.demo.making import draw_where_missing

JOB_SUFFIX = ".grevin"


@dataclass(frozen=True)
class Prepared:
    """What was opened.

    Attributes:
        job: path of the job file.
        index: which of its reels.
        reel: that reel, perhaps not indexed to its end yet.
        notes: sentences about what was passed over.
    """

    job: Path
    index: int
    reel: DeclaredReel
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Gathered:
    """Reels found among what a person named, and sentences about what was passed over."""

    reels: tuple[Path, ...]
    notes: tuple[str, ...]


def jobs_folder() -> Path:
    """Where jobs live that were not given a name yet."""
    return Path(platformdirs.user_data_dir("grevin")) / "jobs"


def gather(paths: Sequence[Path], progress: Progress) -> Gathered:
    """Every reel in files, patterns and folders; each is opened once to see that it can be.

    Raises:
        GrevinError: if nothing of it can be opened; the reason is that of the first.
    """
    candidates: list[Path] = []
    notes: list[str] = []
    for path in paths:
        if path.is_dir():
            material = find_material(path, progress)
            candidates += material.reels
            if material.passed_over:
                names = ", ".join(other.name for other in material.passed_over[:3])
                more = " …" if len(material.passed_over) > 3 else ""
                notes.append(f"{len(material.passed_over)} file(s) are no material: {names}{more}.")
        else:
            candidates.append(path)
    if not candidates:
        raise MediaError("There is no material in what was named.", "Give video files or folders of numbered pictures.")
    return _opened_once(candidates, notes, progress)


def _opened_once(candidates: list[Path], notes: list[str], progress: Progress) -> Gathered:
    good: list[Path] = []
    first_fault: GrevinError | None = None
    progress.begin(len(candidates), "Taking in reels")
    for path in candidates:
        try:
            if len(candidates) > 1:
                open_reel(path, patient=False).close()
            good.append(path)
        except GrevinError as fault:
            first_fault = first_fault or fault
            notes.append(f"{path.name} was passed over: {fault.what}")
        progress.advance()
    if not good:
        assert first_fault is not None
        raise first_fault
    return Gathered(tuple(good), tuple(notes))


def prepare(paths: Sequence[Path], progress: Progress, index: int | None = None) -> Prepared:
    """Open a job, or material under a job.

    Material without a job gets one in `jobs_folder`, named after it, and the same one when it is opened again.

    Args:
        paths: one job file, or files, folders and patterns.
        progress: of what takes long.
        index: which reel of the job; the one that was open last by default.

    Raises:
        GrevinError: one sentence about what is wrong.
    """
    notes: tuple[str, ...] = ()
    job = paths[0]
    fresh: tuple[Path, ...] = ()
    if job.suffix != JOB_SUFFIX:
        job = (
            jobs_folder() / f"{reel_stem(paths[0])}-{content_key(*(path.absolute() for path in paths))[:8]}{JOB_SUFFIX}"
        )
        if not job.exists():
            found = gather(paths, progress)
            fresh, notes = found.reels, found.notes
            JobFile.create(job, Job().with_added(list(fresh))).close()
    try:
        return _open_job(job, index, notes, progress)
    except GrevinError:
        if fresh:
            job.unlink(missing_ok=True)  # nothing can be done in it
        raise


def _open_job(job: Path, index: int | None, notes: tuple[str, ...], progress: Progress) -> Prepared:
    with closing(JobFile.open(job)) as job_file:
        reels = job_file.document.reels
        last = job_file.fact("reel", "0")
    if not reels:
        raise GrevinError(f"{job.name} holds no reel.", "Open material instead.")
    wanted = index if index is not None else int(last) if last.isdigit() else 0
    place = min(wanted, len(reels) - 1)
    return Prepared(job, place, open_entry(reels[place], job, progress), notes)


def open_entry(entry: Reel, job: Path, progress: Progress, patient: bool = False) -> DeclaredReel:
    """A reel of a job, as declared; one of the demo is drawn where it is missing."""
    draw_where_missing(found_reel(Path(entry.path), job), progress)
    return opening.open_entry(entry, job, progress, patient)
