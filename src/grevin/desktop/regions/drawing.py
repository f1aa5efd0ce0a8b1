"""The regions of the selected step: which one is worked on, and changing them."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from grevin.core.treatment.region_edits import ends_before_it_begins, has_key, with_key, without_key
from grevin.core.treatment.regions import STANDING, Region, Shift, Use
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.session import Session
from grevin.desktop.texts import tr, tr_count


class RegionDrawing(QObject):
    """What the tool, the card and the keys share.

    Attributes:
        active: place of the region that is worked on, -1 for none.
        use: of the regions that are drawn next.
    """

    told = Signal(str)
    picked = Signal()

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._table = table
        self._copied: tuple[Region, ...] = ()
        self.active = -1
        self.use: Use = "only"

    @property
    def place(self) -> int:
        """Place of the selected step, 0 for none."""
        place = self._session.selected
        return place if 0 < place <= len(self._session.treatment.steps) else 0

    @property
    def regions(self) -> tuple[Region, ...]:
        """Those of the selected step."""
        return self._session.treatment.steps[self.place - 1].regions if self.place else ()

    @property
    def frame(self) -> int:
        """The present frame of the reel."""
        return self._session.place.frame

    def shift_of(self, place: int) -> Shift:
        """How far a region that follows the picture has come, as far as it is known on the frame that is shown."""
        look = self._table.look
        known = look.regions if look is not None and look.number == self.frame else ()
        return next((shift for at, _, shift in known if at == place), STANDING)

    def shown(self) -> list[tuple[int, Region, Shift]]:
        """The regions that hold on the present frame."""
        return [(at, one, self.shift_of(at)) for at, one in enumerate(self.regions) if one.holds(self.frame)]

    def pick(self, place: int) -> None:
        """Work on another one."""
        if place != self.active:
            self.active = place
            self._table.update()
            self.picked.emit()

    def add(self, region: Region) -> None:
        """One more region, which is worked on then."""
        if not self.place:
            self.told.emit(tr("Select a step first: a region says where a step may act."))
            return
        self.active = len(self.regions)
        self._set((*self.regions, region))

    def change(self, region: Region) -> None:
        """Another region instead of the one that is worked on."""
        if 0 <= self.active < len(self.regions):
            self._set((*self.regions[: self.active], region, *self.regions[self.active + 1 :]))

    def change_active(self, **values: object) -> None:
        """Other values of the one that is worked on."""
        region = self._held()
        if region is None:
            return
        if ends_before_it_begins(region.model_copy(update=values)):
            self.told.emit(tr("A region ends where it begins, or later."))
            self.picked.emit()
            return
        if values.get("follow"):  # it goes on from where it lies now
            region = with_key(region, self.frame, self.shift_of(self.active))
        self.change(region.model_copy(update=values))

    def take_out(self) -> None:
        """Take out the one that is worked on."""
        if self._held() is not None:
            left = (*self.regions[: self.active], *self.regions[self.active + 1 :])
            self.active = -1
            self._set(left)

    def key_here(self) -> None:
        """A key frame where the region lies on this frame; or none any more."""
        region = self._held()
        if region is None:
            return
        if has_key(region, self.frame):
            self.change(without_key(region, self.frame))
            self.told.emit(tr("The region has no key frame on frame {0} any more.", self.frame))
        else:
            self.change(with_key(region, self.frame, self.shift_of(self.active)))
            self.told.emit(tr("Key frame {0}: on another frame drag the region to where it is to be.", self.frame))

    def copy(self) -> None:
        """Keep the regions of the selected step for another step, shot or reel."""
        self._copied = self.regions
        count = len(self._copied)
        self.told.emit(
            tr_count("{0} region copied.", "{0} regions copied.", count) if count else tr("There is no region to copy.")
        )

    def paste(self) -> None:
        """Give the selected step the regions that were copied, besides its own."""
        if not self.place or not self._copied:
            self.told.emit(tr("Copy the regions of a step first, then select the one that is to have them."))
            return
        self._set((*self.regions, *(one for one in self._copied if one not in self.regions)))

    def show(self) -> None:
        """Another selection or treatment."""
        if self.active >= len(self.regions):
            self.active = -1
        self.picked.emit()

    def _held(self) -> Region | None:
        if 0 <= self.active < len(self.regions):
            return self.regions[self.active]
        self.told.emit(tr("Take hold of a region first: click it on the light table or in the list."))
        return None

    def _set(self, regions: tuple[Region, ...]) -> None:
        self._session.change_regions(self.place, regions)
        self._table.update()
        self.picked.emit()
