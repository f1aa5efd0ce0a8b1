"""What is drawn over or beside the picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from grevin.desktop.style import look as style

EvidenceMode = Literal["off", "hatch", "mask"]


@dataclass(frozen=True)
class Drawing:
    """What is drawn over or beside the picture.

    Attributes:
        before: the source instead of the view point, while held.
        evidence: off, outline and hatch, or the mask alone.
        colour: red, green, blue of the evidence.
        square: pixels shown square, whatever their shape.
    """

    before: bool = False
    evidence: EvidenceMode = "off"
    colour: tuple[int, int, int] = style.EVIDENCE
    square: bool = False
