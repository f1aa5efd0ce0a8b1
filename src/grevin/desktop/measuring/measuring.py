"""Measuring on the light table: the box, what was read in it, the scopes over it, a region made of it."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from grevin.core.measure.area import Box, read_box
from grevin.core.picture.geometry import Geometry
from grevin.core.treatment.recipe import TreatmentStep
from grevin.core.treatment.regions import Region
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.measuring.colour_check import ColourCheck
from grevin.desktop.measuring.panel import MeasuringPanel, RegionWanted
from grevin.desktop.places.looking_bar import LookingBar
from grevin.desktop.places.ways_of_looking import WaysOfLooking
from grevin.desktop.scopes.panel import ScopesPanel
from grevin.desktop.session import Session
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look


class Measuring(QObject):
    """Holds the box and shows it wherever it matters."""

    told = Signal(str)
    box_changed = Signal(object)

    def __init__(
        self, session: Session, table: LightTable, bar: LookingBar, scopes: ScopesPanel, looking: WaysOfLooking,
        parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.colours = ColourCheck(session, looking, self)
        self.colours.told.connect(self.told)
        self._geometry: Geometry | None = None  # of the picture that is looked at
        self._session = session
        self._table = table
        self._bar = bar
        self._scopes = scopes
        self.panel = MeasuringPanel()
        self.panel.add(self.colours.row)
        self.box: Box | None = None
        self.on = False
        table.boxed.connect(self.show_box)
        self.panel.cleared.connect(lambda: self.show_box(None))
        self.panel.sent.connect(lambda values: session.change_settings(session.selected, values))
        self.panel.region_wanted.connect(self._add_region)

    def measure(self, on: bool) -> None:
        """Let a drag measure, and show what was measured."""
        self.on = on
        self._table.show_measuring(on)
        self._bar.show_toggle("measure", on)
        self.show_box(self.box)

    def show_box(self, box: Box | None) -> None:
        """The measured box, None for none."""
        self.box = box
        self._table.show_box(box)
        self._scopes.show_box(box)
        self.colours.show_box(box)
        self.panel.setVisible(self.on or box is not None)
        if self._table.look is not None:
            self.read(self._table.look)
        self.box_changed.emit(box)

    def show_again(self) -> None:
        """The selected step changed: another setting may take what was measured."""
        self.show_box(self.box)

    def read(self, look: Look) -> None:
        """Read the box on another frame."""
        self._geometry = look.geometry
        self.colours.read(look)
        if self.panel.isHidden():
            return
        fmt = look.frame.format
        box = self.box if self.box is not None and self.box.fits(fmt) else None
        readings = read_box(look.frame, box) if box is not None else ()
        self.panel.show_box(box, readings, fmt, self._selected_step())

    def _selected_step(self) -> TreatmentStep | None:
        steps, place = self._session.treatment.steps, self._session.selected
        return steps[place - 1] if 0 < place <= len(steps) else None

    def _add_region(self, wanted: RegionWanted) -> None:
        """Make a region of the selected step out of the box."""
        step, box, session = self._selected_step(), self.box, self._session
        if step is None or box is None:
            self.told.emit(tr("Select a step and drag a box first: a region says where a step may act."))
            return
        first = last = session.place.frame if wanted.this_frame else None
        area = (box.x, box.y, box.width, box.height)
        x, y, width, height = area if self._geometry is None else self._geometry.area_back(area)
        left, top = max(0, x), max(0, y)
        region = Region(
            use=wanted.use, x=left, y=top, width=max(1, x + width - left), height=max(1, y + height - top),
            first=first, last=last,
        )  # fmt: skip
        session.change_regions(session.selected, (*step.regions, region))
        self.show_box(None)
