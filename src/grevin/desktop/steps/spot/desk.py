"""Standing spots: circles round those that were found, and their small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QObject, QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from grevin.core.treatment.regions import Region
from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.session import Session
from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import DAMAGE, boat, frame
from grevin.desktop.texts import tr, tr_count

SPOTS = ((0.24, 0.26, 0.1), (0.82, 0.4, 0.07))  # place across and down, radius
SHADOW = QColor(20, 20, 20, 150)


class SpotDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "spot"
    keys: ClassVar[tuple[Key, ...]] = (
        Key("circle_marks", ("Shift+O",), "Standing spot", "Circle every mark that stands in this shot",
            on_card="Circle what stands"),
    )  # fmt: skip

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(session, table, parent)
        self.acts = {"circle_marks": self.circle}

    def circle(self) -> None:
        """A region round every mark that was found in the shot in sight, on the frames of that shot."""
        learned, session = self.learned(), self.session
        if learned is None or session.chain is None:
            return
        step, study = learned
        if "standing" not in study:
            self.told.emit(tr("This shot has circles: marks are looked for where there are none."))
            return
        if not len(study["standing"]):
            self.told.emit(tr("No mark was found that stands while the picture moves on."))
            return
        chain, place = session.chain, self.place
        geometry = step.learned_geometry(chain.number_before(place, session.place.frame))
        start, stop = (int(one) for one in study["shot"])
        first, last = chain.reel_frame(place, start), chain.reel_frame(place, stop - 1)
        circles = []
        for left, top, wide, tall in study["standing"].tolist():
            area = (left, top, wide, tall)
            x, y, width, height = area if geometry is None else geometry.area_back(area)
            box = {"x": x, "y": y, "width": width, "height": height}
            circles.append(Region(use="only", shape="ellipse", first=first, last=last, **box))
        session.change_regions(place, (*session.treatment.steps[place - 1].regions, *circles))
        self.told.emit(tr_count("{0} mark circled.", "{0} marks circled.", len(circles)))

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Soft spots over a picture."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(QPen(DAMAGE, 1))
        painter.setBrush(SHADOW)
        for across, down, radius in SPOTS:
            middle = QPointF(area.x() + across * area.width(), area.y() + down * area.height())
            painter.drawEllipse(middle, radius * area.width(), radius * area.width())
