"""Treated frames that are kept on disk, each under the name of all that it depends on: whoever has the name has it.

A run that was stopped or killed goes on with them, a second version of the same pictures takes them, and so may other
processes and machines that share the folder. What is damaged is noticed by its checksum and made again.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import threading
import time
from pathlib import Path

import platformdirs

FOLDER = "ready"  # in the user's cache
LIMIT_FILE = "most_bytes"
SHARE_OF_FREE = 0.25  # of the disk's free space, where nobody said how much may be kept
TRIMMED_TO = 0.9  # of what may be kept: not for every frame anew
DIGEST_BYTES = 16
STALE_SECONDS = 3600.0  # an unfinished file that is older was left by a killed process


def user_ready_frames() -> ReadyFrames:
    """The store in the user's cache."""
    return ReadyFrames(Path(platformdirs.user_cache_dir("grevin")) / FOLDER)


class ReadyFrames:
    """Files of a folder, bounded in their sum: those that were not used for longest go first.

    What this object kept or gave stays: a run that is too long for the room would lose its first frames to its last
    ones, and find none of them when it goes on. One for each run, therefore.

    Safe from many threads and processes: a file appears whole or not at all, and who finds it gone makes it again.
    Where the folder cannot be written to nothing is kept, and nothing else changes.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._lock = threading.Lock()
        self._begun = time.time()
        self._used: int | None = None  # counted when something is kept for the first time
        self._most = 0
        self._full = False

    @property
    def studies(self) -> Path:
        """A database for what steps learn of whole shots, which goes with the frames."""
        return self.folder / "learned" / "learned.sqlite"

    def get(self, name: str) -> bytes | None:
        """What is kept under a name; None where there is nothing, or where it was damaged."""
        path = self._path(name)
        try:
            data = path.read_bytes()
        except OSError:
            return None
        digest, content = data[:DIGEST_BYTES], data[DIGEST_BYTES:]
        if _digest(content) != digest:
            self._remove(path)
            return None
        with contextlib.suppress(OSError):
            os.utime(path)
        return content

    def put(self, name: str, content: bytes) -> None:
        """Keep something under a name."""
        if self._full:
            return
        path = self._path(name)
        aside = path.with_name(f".{name}.{os.getpid()}.{threading.get_ident()}")
        try:
            path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            aside.write_bytes(_digest(content) + content)
            aside.replace(path)
        except OSError:  # no room, or no right to write here
            with contextlib.suppress(OSError):
                aside.unlink()
            return
        self._count(DIGEST_BYTES + len(content))

    def __contains__(self, name: str) -> bool:
        return self._path(name).exists()

    @property
    def full(self) -> bool:
        """Whether nothing more is kept, because it would push out what this object kept itself."""
        return self._full

    @property
    def used_bytes(self) -> int:
        """Bytes that are kept."""
        return sum(size for _, size, _ in self._files())

    @property
    def most_bytes(self) -> int:
        """Bytes that may be kept."""
        with contextlib.suppress(OSError, ValueError):
            return max(0, int((self.folder / LIMIT_FILE).read_text()))
        parent = self.folder
        while not parent.exists():
            parent = parent.parent
        return int(SHARE_OF_FREE * (shutil.disk_usage(parent).free + self.used_bytes))

    def allow(self, most_bytes: int) -> None:
        """Say how many bytes may be kept; what is too much goes at once.

        Raises:
            OSError: if the folder cannot be written to.
        """
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        (self.folder / LIMIT_FILE).write_text(str(most_bytes))
        self._trim(most_bytes, time.time())

    def clear(self) -> None:
        """Forget everything that is kept."""
        for _, _, path in self._files():
            self._remove(path)
        with self._lock:
            self._used, self._full = None, False

    def _path(self, name: str) -> Path:
        return self.folder / name[:2] / name

    def _files(self) -> list[tuple[float, int, Path]]:
        """When each file was used last, its bytes, and where it lies."""
        found = []
        for path in self.folder.glob("*/*"):
            with contextlib.suppress(OSError):
                facts = path.stat()
                if path.name.startswith(".") and time.time() - facts.st_mtime > STALE_SECONDS:
                    self._remove(path)
                else:
                    found.append((facts.st_mtime, facts.st_size, path))
        return found

    def _count(self, more: int) -> None:
        with self._lock:
            if self._used is None:
                self._used, self._most = self.used_bytes, self.most_bytes
            else:
                self._used += more
            if self._used > self._most:
                self._used = self._trim(self._most, self._begun)
            self._full = self._used > self._most

    def _trim(self, most: int, before: float) -> int:
        """Remove what was last used before a time until there is room; the bytes that are left."""
        files = sorted(self._files())
        used = sum(size for _, size, _ in files)
        for when, size, path in files:
            if used <= TRIMMED_TO * most or when >= before:
                break
            self._remove(path)
            used -= size
        return used

    @staticmethod
    def _remove(path: Path) -> None:
        with contextlib.suppress(OSError):
            path.unlink()


def _digest(content: bytes) -> bytes:
    return hashlib.blake2b(content, digest_size=DIGEST_BYTES).digest()
