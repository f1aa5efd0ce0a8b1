"""Rolling bands: their small picture, and the band as regions that are corrected by hand."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QObject, QRectF
from PySide6.QtGui import QColor, QLinearGradient, QPainter

from grevin.core.steps.bands.by_hand import passages
from grevin.core.treatment.path_edits import handed_over
from grevin.core.treatment.recipe import TreatmentStep
from grevin.core.treatment.region_edits import moving_box
from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.session import Session
from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame
from grevin.desktop.texts import tr, tr_count

NOTHING, DARK = QColor(0, 0, 0, 0), QColor(0, 0, 0, 170)


class BandsDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "bands"
    keys: ClassVar[tuple[Key, ...]] = (
        Key("band_by_hand", ("Ctrl+B",), "Rolling bands", "The found band as regions, to be corrected by hand",
            on_card="Correct by hand"),
    )  # fmt: skip

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(session, table, parent)
        self.acts = {"band_by_hand": self.by_hand}

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A soft dark band over a picture."""
        frame(painter, area, QColor(100, 100, 100))
        boat(painter, area)
        band = QLinearGradient(area.topLeft(), area.bottomLeft())
        for place, colour in ((0.25, NOTHING), (0.5, DARK), (0.75, NOTHING)):
            band.setColorAt(place, colour)
        painter.fillRect(area, band)

    def by_hand(self) -> None:
        """The step rests, and light by hand acts in its stead where it found dark places in this shot."""
        chain, place = self.session.chain, self.place
        if chain is None:
            return
        learned = self.learned()
        if learned is None:
            return
        step, study = learned
        boxes, stops = passages(study, (step.format.width, step.format.height))
        if not boxes:
            self.told.emit(tr("No band was found in this shot that could be corrected by hand."))
            return
        before = chain.reel_frame
        regions = tuple(
            moving_box(((before(place, frame), box) for frame, box in one.places), one.feather_px) for one in boxes
        )
        by_hand = TreatmentStep.make("light", {"exposure_stops": min(3.0, stops)}, regions=regions)
        self.session.put_treatment(
            tr("Correct the band by hand"), handed_over(self.session.treatment, place - 1, by_hand), place + 1
        )
        self.told.emit(tr_count("{0} dark place, {1:.2f} stops brighter by hand; the band itself rests.",
                                "{0} dark places, {1:.2f} stops brighter by hand; the band itself rests.",
                                len(regions), stops))  # fmt: skip
