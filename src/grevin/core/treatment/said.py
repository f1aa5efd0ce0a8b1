"""What a person says besides the settings."""

from __future__ import annotations

from dataclasses import dataclass

from grevin.core.keys import content_key
from grevin.core.picture.frame import Mask
from grevin.core.treatment.following import Follower
from grevin.core.treatment.over_time import OverTime
from grevin.core.treatment.recipe import Counted
from grevin.core.treatment.regions import STANDING, Region, Shift, Weight, allowed, measured_in
from grevin.core.treatment.strokes import Stroke, strokes_key
from grevin.core.treatment.verdicts import Verdicts


@dataclass(frozen=True, eq=False)
class Said:
    """What a person says besides the settings.

    Attributes:
        verdicts: words on single places of the reel.
        regions: where the step may act.
        follower: tells where regions that follow the picture have gone.
        over_time: numbers of the settings that change.
        counted: whether frames that the settings of a time step name are the reel's own, or those before the step.
        strokes: what was drawn over damage.
    """

    verdicts: Verdicts
    regions: tuple[Region, ...] = ()
    follower: Follower | None = None
    over_time: tuple[OverTime, ...] = ()
    counted: Counted = "reel"
    strokes: tuple[Stroke, ...] = ()

    def regions_key(self, frame: int) -> str:
        """Changes with the regions that apply to a frame; "" for none."""
        acting = [region.model_dump_json() for region in self.regions if region.holds(frame)]
        return content_key(*acting) if acting else ""

    def strokes_key(self, frame: int) -> str:
        """Changes with the strokes that hold on a frame; "" for none."""
        return strokes_key(self.strokes, frame)

    def shift(self, region: Region, frame: int) -> Shift:
        """How far a region that follows the picture has come on a frame."""
        return self.follower.shift(region, frame) if self.follower else STANDING

    def outside(self, frame: int) -> float:
        """How much of it is taken where nothing of the reel's picture is shown: all, but for "only inside"."""
        return 0.0 if any(region.use == "only" and region.holds(frame) for region in self.regions) else 1.0

    def allowed(self, frame: int, shape: tuple[int, int]) -> Weight | None:
        """(H, W) float32 0..1, how much of what the step does is taken on a frame; None for all, everywhere."""
        follower = self.follower
        return allowed(self.regions, frame, shape, lambda r: follower.shift(r, frame) if follower else STANDING)

    def measure_key(self) -> str:
        """Changes with the regions that a step looks at while it learns; "" for none."""
        looked = [region.model_dump_json() for region in self.regions if region.use == "measure"]
        return content_key(*looked) if looked else ""

    def acting_key(self) -> str:
        """Changes with the regions in which the step may act; "" for none."""
        acting = [region.model_dump_json() for region in self.regions if region.use != "measure"]
        return content_key(*acting) if acting else ""

    def measured_in(self, frame: int, shape: tuple[int, int]) -> Mask | None:
        """(H, W) bool, where a step that learns may look on a frame; None for everywhere."""
        follower = self.follower
        return measured_in(self.regions, frame, shape, lambda r: follower.shift(r, frame) if follower else STANDING)
