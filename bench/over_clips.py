"""Going over the clips of a suite: unknown names are refused, what cannot be fetched is passed over and said."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from bench.clips import ClipUnavailableError
from grevin.core.errors import UsageError
from grevin.core.progress import Progress

Made = TypeVar("Made")
Rows = list[dict[str, Any]]


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


def suite_over_clips(
    suite: str, wanted: list[str], known: list[str], measure: Callable[[str], Rows],
    together: Callable[[Rows], dict[str, float]], progress: Progress,
) -> tuple[dict[str, Any], None]:  # fmt: skip
    """A suite whose clips give rows, as it is printed: the rows, what was left out, and figures of all together.

    Raises:
        UsageError: for a name that does not exist.
    """
    results, skipped = over_clips(wanted, known, measure, progress)
    rows = [row for some in results for row in some]
    return {
        "format": "grevin-bench", "version": 1, "suite": suite, "rows": rows, "skipped": skipped,
        "together": together(rows),
    }, None  # fmt: skip
