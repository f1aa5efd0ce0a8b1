"""What a person says besides the settings."""

from __future__ import annotations

from dataclasses import dataclass

from grevin.core.treatment.regions import Region
from grevin.core.treatment.verdicts import Verdicts


@dataclass(frozen=True, eq=False)
class Said:
    """What a person says besides the settings.

    Attributes:
        verdicts: words on single places of the reel.
        regions: where the step may act.
    """

    verdicts: Verdicts
    regions: tuple[Region, ...] = ()
