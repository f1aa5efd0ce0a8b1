"""What is looked at: pictures of one frame for the screen, made off the GUI thread."""

from __future__ import annotations

from dataclasses import dataclass

from grevin.core.picture.display import Screen, to_screen
from grevin.core.picture.frame import Frame
from grevin.core.steps.base import Evidence
from grevin.core.treatment.chain import Chain


@dataclass(frozen=True, eq=False)
class Look:
    """One frame ready for the screen.

    Attributes:
        number: frame of the reel.
        view_point: place on the treatment path of `after`.
        before: (H, W, 4) uint8 screen picture of the source.
        after: the same at the view point (the same object where nothing was changed).
        evidence: of the step that was asked for, None where there is none.
    """

    number: int
    view_point: int
    before: Screen
    after: Screen
    evidence: Evidence | None


def screen_of(chain: Chain, frame: Frame, key: str) -> Screen:
    """Screen picture of a frame, kept in the chain's cache."""
    return chain.cache.get(f"screen/{key}", lambda: to_screen(frame), lambda screen: screen.nbytes)


def make_look(chain: Chain, number: int, view_point: int, evidence_of: int) -> Look:
    """Make a look; dear parts come from the chain's cache.

    Args:
        chain: the reel under its treatment.
        number: frame.
        view_point: place whose picture is `after`.
        evidence_of: place whose evidence is wanted, 0 for none.
    """
    source, place = chain.source, chain.view_points[view_point]
    first = source.frame(number)
    before = screen_of(chain, first, source.key(number))
    last = place.frame(number)
    after = before if last is first else screen_of(chain, last, place.key(number))
    evidence = chain.evidence_at(evidence_of, number) if evidence_of else None
    return Look(number, view_point, before, after, evidence)


def is_ready(chain: Chain, number: int, view_point: int) -> bool:
    """Whether a frame at a view point is in the cache."""
    return chain.view_points[view_point].key(number) in chain.cache
