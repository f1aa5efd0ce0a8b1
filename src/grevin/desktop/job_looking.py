"""How one looked at a job, remembered in the job: the place, the zoom, the curves, the filters."""

from __future__ import annotations

import json
from typing import Any

from grevin.core.survey.words import CURVE_SCALES
from grevin.desktop.light_table.view import View
from grevin.desktop.session import Session
from grevin.desktop.window_layout import WindowLayout

FACT = "looking"


class JobLooking:
    """Reads it from the parts of the window and gives it back to them."""

    def __init__(self, session: Session, parts: WindowLayout) -> None:
        self._session = session
        self._parts = parts
        self._remembered = ""

    def remember(self) -> None:
        """Write it down, if it changed since the last time."""
        job, parts = self._session.job_file, self._parts
        if job is None or not parts.present:
            return
        view = parts.bench.table.view
        words = json.dumps({
            "place": parts.present, "view": [view.zoom, view.x, view.y], "page": parts.survey.pages.currentIndex(),
            "curves": parts.survey.chart.names, "filters": parts.survey.findings.filters(),
        })  # fmt: skip
        if words != self._remembered:
            job.remember(FACT, words)
            self._remembered = words

    def give_back(self) -> None:
        """Look as the last time; what cannot be read is as in a new job."""
        job = self._session.job_file
        self._remembered = ""
        if job is None:
            return
        try:
            held: dict[str, Any] = json.loads(job.fact(FACT, "{}"))
            zoom, x, y = map(float, held.get("view", (0, 0.5, 0.5)))
            page = int(held.get("page", 0))
            curves = tuple(name for name in held.get("curves", ()) if name in CURVE_SCALES)
            filters = dict(held.get("filters", {}))
        except (ValueError, TypeError, AttributeError):
            held, (zoom, x, y), page, curves, filters = {}, (0.0, 0.5, 0.5), 0, (), {}
        parts = self._parts
        place = str(held.get("place", ""))
        parts.go_to(place if place in parts.places else "go_bench")
        parts.bench.table.show_view(View(zoom, x, y))
        parts.survey.show_page(page if 0 <= page < parts.survey.pages.count() else 0)
        if curves:
            parts.survey.chart.show_curves(curves)
        parts.survey.findings.filter(filters)
