"""How strokes are drawn that come next, and how one is made from it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from grevin.core.steps.strokes import StrokeFill
from grevin.core.treatment.regions import Region
from grevin.core.treatment.strokes import Stroke

Tools = Literal["brush", "outline", "polygon", "disc", "line"]
Span = Literal["frame", "shot"]
PLATE_ROUNDING_PX, PLATE_FEATHER_PX = 3.0, 5.0  # of a patch (common practice, no source)


@dataclass
class Options:
    """What is set on the card.

    Attributes:
        width_px: of a brush.
        feather_px: over which a stroke fades in.
        rounding_px: of the corners of a polygon or outline.
        fill: from where it is filled.
        fills: whether a person says that, or the step does its own.
        span: on which frames it holds.
    """

    width_px: float = 12.0
    feather_px: float = 2.0
    rounding_px: float = 0.0
    fill: StrokeFill = field(default_factory=StrokeFill)
    fills: bool = True
    span: Span = "frame"

    def set_way(self, fill: StrokeFill) -> None:
        """Filled from elsewhere; a patch is laid over the whole shot, with the usual soft corners."""
        if fill.way == "plate" != self.fill.way:
            self.span, self.rounding_px, self.feather_px = "shot", PLATE_ROUNDING_PX, PLATE_FEATHER_PX
        elif self.fill.way == "plate" != fill.way:
            self.span, self.rounding_px, self.feather_px = "frame", 0.0, 2.0
        self.fill = fill

    def stroke(self, where: Region, frame: int, shot: range) -> Stroke:
        """A stroke of a shape that was drawn on a frame."""
        run = range(frame, frame + 1) if self.span == "frame" else shot
        fill = self.fill.model_copy(update={"frame": frame}) if self.fill.way == "plate" else self.fill
        held = {"first": run.start, "last": run.stop - 1}
        return Stroke(where=where.model_copy(update=held), fill=fill)

    def shape(self, tool: Tools, points: list[tuple[float, float]]) -> Region | None:
        """The shape that was drawn through points of the picture; None where there is too little of it.

        Args:
            tool: with which it was drawn.
            points: x and y, pixel i from i to i + 1; of a disc its middle and its rim, of a line its ends.
        """
        if tool == "disc":
            return self._disc(points)
        drawn = tuple((round(x - 0.5, 1), round(y - 0.5, 1)) for x, y in points)
        if tool in {"brush", "line"}:
            return Region(use="only", shape="brush", points=drawn, width_px=self.width_px, feather_px=self._soft())
        if len(drawn) < 3:
            return None
        soft = {"rounding_px": self.rounding_px, "feather_px": self.feather_px}
        return Region(use="only", shape="polygon", points=drawn, **soft)

    def _soft(self) -> float:
        """A brush is not all edge."""
        return min(self.feather_px, self.width_px / 2)

    def _disc(self, points: list[tuple[float, float]]) -> Region | None:
        (x, y), (rim_x, rim_y) = points[0], points[-1]
        radius = ((rim_x - x) ** 2 + (rim_y - y) ** 2) ** 0.5
        if radius < 1:
            return None
        left, top, side = round(x - radius), round(y - radius), max(1, round(2 * radius))
        return Region(use="only", shape="ellipse", x=left, y=top, width=side, height=side, feather_px=radius)
