"""Trying values: which pictures the test strip needs, made off the GUI thread, and taking one of them."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import QObject, Signal

from grevin.core.job.document import change_settings
from grevin.core.measure.area import Box
from grevin.core.steps.registry import step_by_id
from grevin.core.steps.settings import Settings, is_list, matters
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.test_strip import is_number, proposed_range, values_to_try
from grevin.desktop.session import Session
from grevin.desktop.test_strip.strip import Cell, ValueStrip
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look, Ways, drafted, make_look, part_of
from grevin.desktop.work.workers import LatestWorker, Request

EITHER_SIDE = 4  # frames before and after the present one that are made ready, so that the strip can be played


class Trying(QObject):
    """Drives a `ValueStrip` for the selected step of the session."""

    faulted = Signal(object)

    def __init__(self, session: Session, strip: ValueStrip, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._strip = strip
        self._worker = LatestWorker("try", self)
        self._worker.done.connect(self._take)
        self._worker.failed.connect(lambda _tag, fault: self.faulted.emit(fault))
        self._setting = ""
        self._span: tuple[float, float] | None = None
        self._values: tuple[Any, ...] = ()
        self._chains: list[Chain] = []
        self._made: dict[tuple[int, int], Look] = {}
        self._ways = Ways()
        self.on = False
        strip.setting_chosen.connect(self._choose_setting)
        strip.span_chosen.connect(self._choose_span)
        strip.cells.taken.connect(self._take_value)

    @property
    def busy(self) -> bool:
        """Whether pictures are being made."""
        return self._worker.busy

    def frames(self) -> range:
        """The frames over which the strip can be played."""
        frame = self._session.place.frame
        kept = self._session.kept
        return range(max(kept.start, frame - EITHER_SIDE), min(kept.stop, frame + EITHER_SIDE + 1))

    def switch(self, on: bool, setting: str = "") -> bool:
        """Begin or end; False where there is no step to try. A setting may be named to begin with."""
        self.on = on and self._step() is not None
        if self.on and setting and setting != self._setting:
            self._setting, self._span = setting, None
        self._worker.ask()
        if self.on:
            self.renew()
        else:
            self._chains, self._made = [], {}
        return self.on

    def _step(self) -> Any:
        steps, place = self._session.treatment.steps, self._session.selected
        return steps[place - 1] if 0 < place <= len(steps) else None

    def _settings(self) -> Settings:
        settings: Settings = self._step().model()
        return settings

    def renew(self) -> None:
        """The treatment, the selected step or its settings changed."""
        step = self._step()
        if step is None:
            return
        model, settings = step_by_id(step.step).settings_model, self._settings()
        fields = {
            name: field for name, field in model.model_fields.items()
            if matters(settings, name) and not is_list(field.annotation)
        }  # fmt: skip
        if self._setting not in fields:
            first = next((name for name in fields if is_number(model, name)), "")
            self._setting, self._span = first or next(iter(fields)), None
        self._strip.show_settings({name: str(field.title) for name, field in fields.items()}, self._setting)
        self._show_values()

    def _choose_setting(self, name: str) -> None:
        self._setting, self._span = name, None
        self._show_values()

    def _choose_span(self, first: float, last: float) -> None:
        self._span = (first, last)
        self._show_values()

    def _show_values(self) -> None:
        settings, name = self._settings(), self._setting
        extra: Any = type(settings).model_fields[name].json_schema_extra
        if is_number(type(settings), name):
            bounds = (float(extra["low"]), float(extra["high"]))
            self._strip.show_span(self._span or proposed_range(settings, name), bounds, int(extra["decimals"]))
        else:
            self._strip.show_span(None, (0.0, 1.0), 0)
        self._values = values_to_try(settings, name, self._span)
        present = getattr(settings, name)
        cells = tuple(Cell(value, _words(extra or {}, value), value == present) for value in self._values)
        self._strip.cells.show_cells(cells)
        place = self._session.selected
        treatments = (change_settings(self._session.treatment, place - 1, {name: value}) for value in self._values)
        self._chains = [self._session.chain_of(treatment) for treatment in treatments]
        self._made = {}
        self.show_frame(self._ways, playing=False)

    def show_frame(self, ways: Ways, playing: bool) -> None:
        """Show the session's present frame; neighbours are made ready while nothing plays."""
        if not self.on or self._session.reel is None:
            return
        if ways != self._ways:
            self._ways, self._made = ways, {}
        frame = self._session.place.frame
        frames = [frame] if playing else sorted(self.frames(), key=lambda number: abs(number - frame))
        self._show(frame)
        wanted = [
            (number, place, chain)
            for number in frames
            for place, chain in enumerate(self._chains)
            if self._lacks(number, place)
        ]
        drafts = [] if playing else [one for one in wanted if one[0] == frame]
        self._worker.ask(
            *(
                Request(tag, partial(self._look, tag[2], tag[0], seen))
                for tag in drafts
                if (seen := self._seen(tag[2]))
            ),
            *(Request(tag, partial(self._look, tag[2], tag[0])) for tag in wanted),
        )

    def _lacks(self, number: int, place: int) -> bool:
        held = self._made.get((number, place))
        return held is None or held.draft

    def _seen(self, chain: Chain) -> Box | None:
        """The part of the present frame that is made first; None where all of it is."""
        place, frame = self._session.selected, self._session.place.frame
        known = chain.known_view_point(place, frame) == place
        fmt = drafted(chain, place, frame) if known else None
        return None if fmt is None else part_of(self._strip.cells.seen_of(fmt), fmt)

    def _look(self, chain: Chain, number: int, seen: Box | None = None) -> Look:
        selected = self._session.selected
        return make_look(chain, number, selected, 0 if seen else selected, self._ways, seen=seen)

    def _take(self, tag: tuple[int, int, Chain], look: Look) -> None:
        number, place, chain = tag
        if not self.on or place >= len(self._chains) or self._chains[place] is not chain:
            return
        if look.draft and not self._lacks(number, place):
            return
        self._made[number, place] = look
        near = self.frames()
        self._made = {key: held for key, held in self._made.items() if key[0] in near or key[0] == number}
        if number == self._session.place.frame:
            self._show(number)

    def _show(self, number: int) -> None:
        looks = {place: look for (frame, place), look in self._made.items() if frame == number}
        if looks:
            shown = next(iter(looks.values())).frame.format
            self._strip.cells.show_looks(looks, float(shown.pixel_aspect))

    def _take_value(self, place: int) -> None:
        if place < len(self._values):
            self._session.change_settings(self._session.selected, {self._setting: self._values[place]})

    def stop(self) -> None:
        """End the thread."""
        self._worker.stop()


def _words(extra: dict[str, Any], value: Any) -> str:
    """A value under its picture: with its unit, or as the form says it."""
    lowest = extra.get("lowest", "")
    return tr(lowest) if lowest and value == extra.get("low") else f"{value} {extra.get('unit', '')}".strip()
