"""Going over the clips of a suite: unknown names are refused, what cannot be fetched is passed over and said."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from bench.clips import ClipUnavailableError
from grevin.core.errors import UsageError
from grevin.core.progress import Progress

Made = TypeVar("Made")


def over_clips(
    wanted: list[str], known: list[str], measure: Callable[[str], Made], progress: Progress
) -> tuple[list[Made], list[dict[str, str]]]:  # fmt: skip
    """What `measure` gives for each clip (all where none is named), and those left out with the reason.

    Raises:
        UsageError: for a name that does not exist.
    """
    unknown = sorted(set(wanted) - set(known))
    if unknown:
        raise UsageError(f"There is no clip “{unknown[0]}”.", f"The clips are: {', '.join(known)}.")
    results: list[Made] = []
    skipped: list[dict[str, str]] = []
    chosen = wanted or known
    progress.begin(len(chosen), "Clips")
    for name in chosen:
        try:
            results.append(measure(name))
        except ClipUnavailableError as fault:
            skipped.append({"clip": name, "reason": str(fault)})
        progress.advance()
    return results, skipped
