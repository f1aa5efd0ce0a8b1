"""Grain and noise: their small picture, and the measured curve kept for other shots and recipes."""

from __future__ import annotations

import random
from typing import ClassVar

from PySide6.QtCore import QObject, QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from grevin.core.steps.noise.curve import points_of
from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.session import Session
from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame
from grevin.desktop.texts import tr, tr_count

GRAINS, SEED = 160, 7
BRIGHT, DARK = QColor(215, 215, 215, 150), QColor(25, 25, 25, 170)


class NoiseDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "noise"
    keys: ClassVar[tuple[Key, ...]] = (
        Key("keep_curve", ("Ctrl+Shift+K",), "Grain and noise", "Keep the curve of noise, for recipes and other shots",
            on_card="Keep this curve"),
    )  # fmt: skip

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(session, table, parent)
        self.acts = {"keep_curve": self.keep_curve}

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A picture under grain."""
        frame(painter, area)
        boat(painter, area)
        draw_grains(painter, area)

    def keep_curve(self) -> None:
        """The curve that was measured in this shot becomes a setting, which is saved with recipes."""
        learned = self.learned()
        if learned is None:
            return
        _, study = learned
        if not len(study["levels"]) and not len(study["drawn"]):
            self.told.emit(tr("No noise could be measured in this shot: there is no curve to keep."))
            return
        points = points_of(study)
        self.session.change_settings(self.place, {"curve": tuple({"level": at, "noise": size} for at, size in points)})
        self.told.emit(tr_count("The curve is kept, with {0} point: drag it, or save it with a recipe.",
                                "The curve is kept, with {0} points: drag them, or save them with a recipe.",
                                len(points)))  # fmt: skip


def draw_grains(painter: QPainter, area: QRectF) -> None:
    """Grain over an area."""
    chance = random.Random(SEED)
    for place in range(GRAINS):
        painter.setPen(QPen(BRIGHT if place % 2 else DARK, 1.3))
        x, y = chance.uniform(0.03, 0.97), chance.uniform(0.03, 0.97)
        painter.drawPoint(QPointF(area.x() + x * area.width(), area.y() + y * area.height()))
