"""All desks. A new one is a folder here and one line in the list."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from grevin.core.steps.registry import step_by_id
from grevin.core.treatment.regions import Region
from grevin.desktop.keys import KEYS, Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.session import Session
from grevin.desktop.steps.bands.desk import BandsDesk
from grevin.desktop.steps.chroma.desk import ChromaDesk
from grevin.desktop.steps.compression.desk import CompressionDesk
from grevin.desktop.steps.desk import CountLane, Desk
from grevin.desktop.steps.dirt.desk import DirtDesk
from grevin.desktop.steps.dropout.desk import DropoutDesk
from grevin.desktop.steps.edges.desk import EdgesDesk
from grevin.desktop.steps.enlarge.desk import EnlargeDesk
from grevin.desktop.steps.fields.desk import FieldsDesk
from grevin.desktop.steps.flicker.desk import FlickerDesk
from grevin.desktop.steps.gradients.desk import GradientsDesk
from grevin.desktop.steps.grain.desk import GrainDesk
from grevin.desktop.steps.jitter.desk import JitterDesk
from grevin.desktop.steps.light.desk import LightDesk
from grevin.desktop.steps.noise.desk import NoiseDesk
from grevin.desktop.steps.pick.desk import PickDesk
from grevin.desktop.steps.rebuild.desk import RebuildDesk
from grevin.desktop.steps.reframe.desk import ReframeDesk
from grevin.desktop.steps.repeats.desk import RepeatsDesk
from grevin.desktop.steps.retouch.desk import RetouchDesk
from grevin.desktop.steps.scratch.desk import ScratchDesk
from grevin.desktop.steps.sidefill.desk import SidefillDesk
from grevin.desktop.steps.spot.desk import SpotDesk
from grevin.desktop.steps.stairs.desk import StairsDesk
from grevin.desktop.steps.wobble.desk import WobbleDesk
from grevin.desktop.texts import tr

DESKS: tuple[type[Desk], ...] = (
    PickDesk, RepeatsDesk, FieldsDesk, RebuildDesk, DropoutDesk, JitterDesk, WobbleDesk, ChromaDesk,
    CompressionDesk, NoiseDesk, GradientsDesk, FlickerDesk, BandsDesk, LightDesk, DirtDesk, ScratchDesk, SpotDesk,
    RetouchDesk, EdgesDesk, StairsDesk, ReframeDesk, SidefillDesk, EnlargeDesk, GrainDesk,
)  # fmt: skip
LANES: tuple[CountLane, ...] = tuple(desk.lane for desk in DESKS if desk.lane is not None)


def every_key() -> tuple[Key, ...]:
    """The keys of the window and of all desks."""
    own = tuple(key for desk in DESKS for key in desk.keys)
    place = next(place for place, key in enumerate(KEYS) if key.group == "Go")
    return (*KEYS[:place], *own, *KEYS[place:])


def desk_of(step: str) -> type[Desk] | None:
    """The desk of a step."""
    return next((desk for desk in DESKS if desk.step == step), None)


class Desks(QObject):
    """The desks of one window, kept in step with what is selected and shown."""

    told = Signal(str)
    shown = Signal()

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._table = table
        self._desks = tuple(desk(session, table, self) for desk in DESKS)
        for desk in self._desks:
            desk.told.connect(self.told)
        table.tool_changed.connect(self.shown)

    @property
    def acts(self) -> dict[str, Callable[[], object]]:
        """What the acts of all desks do; one whose card is not selected says so."""
        return {name: lambda desk=desk, name=name: self._do(desk, name) for desk in self._desks for name in desk.acts}  # type: ignore[misc]

    def _do(self, desk: Desk, name: str) -> None:
        if desk.place:
            desk.acts[name]()
        else:
            self.told.emit(tr("This belongs to the step {0}: select its card first.", step_by_id(desk.step).label))

    def take_panels(self, panels: dict[str, dict[int, QWidget]]) -> None:
        """Cards were built anew: the panels of each step, by the place of the card."""
        for desk in self._desks:
            desk.take_panels(panels.get(desk.step, {}))

    def tracks(self) -> tuple[tuple[range, ...], str]:
        """The tracks of the selected card as runs of frames of the reel, and what they are."""
        return next(((desk.tracks(), desk.tracks_are) for desk in self._desks if desk.place), ((), ""))

    def drawn(self) -> tuple[Region, ...]:
        """What the desk of the selected card wants placed on the frame in sight."""
        return next((desk.drawn() for desk in self._desks if desk.place), ())

    def may(self, act: str) -> bool:
        """Whether an act's card is selected."""
        return any(act in desk.acts and desk.place > 0 for desk in self._desks)

    def held(self, act: str) -> bool:
        """Whether the tool of an act is in hand."""
        return any(desk.tools.get(act) is self._table.tool for desk in self._desks if act in desk.tools)

    def show(self) -> None:
        """Another frame, treatment or selection; a tool whose card is not selected any more is put away."""
        tool = self._table.tool
        if any(tool in desk.tools.values() and not desk.place for desk in self._desks):
            self._table.take_tool(None)
        for desk in self._desks:
            desk.show()
        self.shown.emit()
