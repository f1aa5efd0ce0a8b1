"""How much of a picture's size carries its detail."""

from __future__ import annotations

from typing import ClassVar

from grevin.core.measure.carried import carried
from grevin.core.survey.measures.base import Depth, Series, Sight


class Carried:
    """Which share of the lines, and of the columns, would hold the detail; of interlaced pictures, of a field's."""

    series: ClassVar[tuple[Series, ...]] = (
        Series(
            "carried_lines", "%", "share of the lines that carries the detail: a smaller picture would hold it as well"
        ),
        Series("carried_columns", "%", "the same of the columns"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        frame = sight.here.frame
        luma = sight.here.luma[::2] if frame.format.has_fields else sight.here.luma
        lines, columns = carried(luma)
        return 100.0 * lines, 100.0 * columns
