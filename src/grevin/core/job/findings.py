"""Findings: what was met on a reel that the operator should know of."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Finding:
    """One thing that was found.

    Attributes:
        kind: what it is, such as "unreadable".
        first, last: frames it covers, both included.
        words: a sentence for people.
        verdict: "mend", "leave" or "undecided".
    """

    kind: str
    first: int
    last: int
    words: str
    verdict: str = "undecided"
