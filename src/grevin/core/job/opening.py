"""Opening a reel of a job: where it lies now, as it was declared, with the index that the job keeps."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

from grevin.core.intake.reel import DeclaredReel
from grevin.core.job.document import Reel
from grevin.core.job.job_file import JobFile
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress


def open_entry(entry: Reel, job: Path | None, progress: Progress, patient: bool = False) -> DeclaredReel:
    """A reel of a job.

    Args:
        entry: what the job says of it.
        job: path of the job file; None for a reel that is in none.
        progress: of indexing.
        patient: whether to index all of it first.

    Raises:
        GrevinError: one sentence about what is wrong.
    """
    path, store = (Path(entry.path), None) if job is None else (found_reel(Path(entry.path), job), JobStore(job))
    return DeclaredReel(open_reel(path, progress, entry.declared.rate_number(), store, patient), entry.declared)


class JobStore:
    """An index store in a job file, over connections of its own, for any thread."""

    def __init__(self, job: Path) -> None:
        self._job = job

    def load(self, identity: str) -> bytes | None:
        """What was kept."""
        with closing(JobFile.open(self._job)) as job_file:
            return job_file.load(identity)

    def save(self, identity: str, data: bytes) -> None:
        """Keep an index."""
        with closing(JobFile.open(self._job)) as job_file:
            job_file.save(identity, data)


def found_reel(reel: Path, job: Path) -> Path:
    """The reel's path; where it is gone but lies beside the job (both were moved), that one."""
    moved = job.parent / reel.name
    return moved if not reel.exists() and moved.exists() else reel
