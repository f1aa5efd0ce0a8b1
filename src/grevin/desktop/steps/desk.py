"""The contract of desks: what one step adds to the window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

from PySide6.QtCore import QObject, QRectF, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QWidget

from grevin.core.steps.seen import Arrays
from grevin.core.treatment.regions import Region
from grevin.core.treatment.step_source import StepSource
from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.tools import Tool
from grevin.desktop.session import Session
from grevin.desktop.texts import tr


@dataclass(frozen=True)
class CountLane:
    """A lane of the reel column that shows how much a survey, or the step itself, found on each frame.

    Attributes:
        kind: of the findings of the survey that are counted here, and nowhere else.
        counted: curve of the survey.
        found: curve of what the step found, where it was looked at.
        head: word over the lane.
        unit: what is counted, for words.
        full: count that fills the lane.
    """

    kind: str
    counted: str
    found: str
    head: str
    unit: str
    full: float


class Desk(QObject):
    """What a step adds to the window.

    Attributes:
        step: id of the step.
        keys: its acts; their keys hold only while its card is selected.
        lane: its lane of the reel column, None for none.
        tracks_are: what its tracks in the reel column are, "" for none.
        panel: what it shows on its card besides buttons; None for nothing.
        acts: what its acts do, by name.
        tools: tools on the light table, by the act that takes them in hand and puts them away.
    """

    told = Signal(str)

    step: ClassVar[str] = ""
    keys: ClassVar[tuple[Key, ...]] = ()
    lane: ClassVar[CountLane | None] = None
    tracks_are: ClassVar[str] = ""
    panel: ClassVar[type[QWidget] | None] = None

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.table = table
        self.acts: dict[str, Callable[[], object]] = {}
        self.tools: dict[str, Tool] = {}

    @property
    def place(self) -> int:
        """Place of the selected card, where it is one of this step; else 0."""
        steps, place = self.session.treatment.steps, self.session.selected
        return place if 0 < place <= len(steps) and steps[place - 1].step == self.step else 0

    def known(self) -> tuple[StepSource, Arrays] | None:
        """The step of the selected card and what it learned of the shot in sight; None while it knows nothing."""
        chain, place = self.session.chain, self.place
        step = chain.view_points[place] if chain is not None and place < len(chain.view_points) else None
        if chain is None or not isinstance(step, StepSource) or not self.session.treatment.steps[place - 1].enabled:
            return None
        number = chain.number_before(place, self.session.place.frame)
        return (step, step.study_of(number)) if step.is_studied(number) else None

    def learned(self) -> tuple[StepSource, Arrays] | None:
        """The same; where it does not know the shot yet that is said."""
        known = self.known()
        if known is None:
            self.told.emit(tr("The step is still measuring this shot."))
        return known

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A small picture of the fault that the step is for, in an area of 4:3."""

    def take_panels(self, panels: dict[int, QWidget]) -> None:
        """Cards were built anew: its panels, by the place of the card on the path."""

    def tracks(self) -> tuple[range, ...]:
        """Runs of frames of the reel that are shown beside its lanes: of what was drawn, or followed over time."""
        return ()

    def drawn(self) -> tuple[Region, ...]:
        """Shapes whose place on the frame in sight is wanted with every look (`Look.drawn`)."""
        return ()

    def show(self) -> None:
        """Another frame, treatment or selection."""

    def toggle(self, act: str) -> None:
        """Take the tool of an act in hand, or put it away."""
        tool = self.tools[act]
        self.table.take_tool(None if self.table.tool is tool else tool)
