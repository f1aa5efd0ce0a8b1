"""The small family of errors that a person can cause, each with a sentence of its own.

A `GrevinError` says what happened and where (`what`) and what to do (`hint`). The window shows that
sentence in its message bar, the command line prints it on stderr and leaves with `exit_status`.
Programmers' mistakes are ordinary `ValueError` / `TypeError` and are meant to crash tests.
"""

from __future__ import annotations

from enum import IntEnum
from typing import ClassVar


class ExitStatus(IntEnum):
    """Exit codes of every `grevin` command."""

    OK = 0
    FAULT = 1
    USAGE = 2
    BAD_INPUT = 3
    NO_SPACE = 4
    CANCELLED = 130


class GrevinError(Exception):
    """Something a person can cause and mend.

    Attributes:
        what: what happened and where, a full sentence.
        hint: what to do about it, a full sentence.
    """

    code: ClassVar[str] = "fault"
    exit_status: ClassVar[ExitStatus] = ExitStatus.FAULT

    def __init__(self, what: str, hint: str) -> None:
        super().__init__(f"{what} {hint}")
        self.what = what
        self.hint = hint


class UsageError(GrevinError):
    """A value, name or combination that cannot be right, whatever the material."""

    code = "usage"
    exit_status = ExitStatus.USAGE


class SettingsError(UsageError):
    """A step or setting in a recipe that is unknown or out of its range."""

    code = "settings"


class MediaError(GrevinError):
    """Material that cannot be read, or not as what it claims to be."""

    code = "media"
    exit_status = ExitStatus.BAD_INPUT


class UnreadableFrameError(MediaError):
    """One frame that cannot be decoded; the others may still be usable."""

    code = "unreadable_frame"

    def __init__(self, name: str, number: int, reason: str) -> None:
        super().__init__(
            f"Frame {number} of {name} cannot be read ({reason}).",
            "The frames before it are usable: choose a range that leaves it out.",
        )
        self.number = number


class OutputError(GrevinError):
    """An output that cannot be written where it was asked for."""

    code = "output"
    exit_status = ExitStatus.USAGE


class NoSpaceError(OutputError):
    """The disk is full."""

    code = "no_space"
    exit_status = ExitStatus.NO_SPACE


class NoMemoryError(GrevinError):
    """A picture that there is not enough memory for."""

    code = "no_memory"
    exit_status = ExitStatus.NO_SPACE


class WorkersDifferError(UsageError):
    """Workers that would not make the same pictures: of another version, or without the same files."""

    code = "workers_differ"


class ProofError(GrevinError):
    """An output that does not read back as what was written."""

    code = "proof"
    exit_status = ExitStatus.FAULT


class JobFileError(GrevinError):
    """A job file that is not one, or is from a later version."""

    code = "job_file"
    exit_status = ExitStatus.BAD_INPUT


class CancelledError(GrevinError):
    """The person asked for work to stop; nothing is wrong."""

    code = "cancelled"
    exit_status = ExitStatus.CANCELLED

    def __init__(self) -> None:
        super().__init__("The work was cancelled.", "Nothing was written.")
