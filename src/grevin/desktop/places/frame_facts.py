"""What a step's card says of the frame in sight."""

from __future__ import annotations

from grevin.core.steps.base import changes_time
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.registry import step_by_id
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look

MOST_NOTES = 5


def frame_facts(look: Look, step: str) -> str:
    """Lines for the card of the selected step: what it found on this frame, and what it says of the reel."""
    found = _evidence_words(look.evidence, step) if look.evidence is not None else ""
    return "\n".join(filter(None, (found, *look.notes[:MOST_NOTES])))


def doubts_whole_frame(look: Look, step: str) -> bool:
    """Whether the step left the frame alone, which is a finding."""
    return look.evidence is not None and bool(look.evidence.doubt) and not changes_time(step_by_id(step))


def _evidence_words(evidence: Evidence, step: str) -> str:
    """What a step found, or says of how it made the frame."""
    if changes_time(step_by_id(step)):
        words = evidence.doubt or evidence.words
        return tr("This frame: {0}", words) if words else ""
    if step_by_id(step).family == "whole":
        return tr("This frame: {0}", evidence.words)
    if not evidence.blobs:
        return evidence.doubt or tr("This frame: nothing found.")
    return tr(
        "This frame: {0} found, {1:.2f} % of the picture.", len(evidence.blobs), 100.0 * float(evidence.mask.mean())
    )
