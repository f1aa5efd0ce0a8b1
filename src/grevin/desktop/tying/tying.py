"""Tie lines: drawn over the same thing on two or more frames, they lead the motion of frames made anew."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from grevin.core.steps.rebuild.ties import Line, TieKey, TieLine
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.places.looking_bar import LookingBar
from grevin.desktop.session import Session
from grevin.desktop.tying.lines import Grip, ShownLine, State, dragged, grip_of

SHORTEST_PX = 3.0  # of the picture: a shorter drag draws nothing
Point = tuple[float, float]


class Tying(QObject):
    """Turns drags on the light table into tie lines of the step Frame rebuild."""

    told = Signal(str)

    def __init__(self, session: Session, table: LightTable, bar: LookingBar, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._table = table
        self._bar = bar
        self._active = -1  # line that is worked on
        self._grip: Grip | None = None
        self._begun: Line | None = None
        self._present: Line | None = None  # while the pointer is down
        self.on = False
        self.acts: dict[str, Callable[[], object]] = {
            "tie": lambda: self.tie(not self.on), "take_tie": self.take_out, "new_tie": self.begin_new,
        }  # fmt: skip
        table.line_pressed.connect(self._press)
        table.line_dragged.connect(self._drag)
        table.line_released.connect(self._release)

    @property
    def place(self) -> int:
        """Place of the step on the path that the lines belong to: the selected one, else the first; 0 for none."""
        steps = self._session.treatment.steps
        places = [place for place, step in enumerate(steps, 1) if step.step == "rebuild"]
        return self._session.selected if self._session.selected in places else next(iter(places), 0)

    @property
    def ties(self) -> tuple[TieLine, ...]:
        """The lines."""
        settings = self._session.treatment.steps[self.place - 1].model() if self.place else None
        return tuple(getattr(settings, "ties", ()))

    @property
    def frame(self) -> int:
        """The present frame as the step's settings name it."""
        session, chain = self._session, self._session.chain
        if chain is None or not self.place:
            return 0
        return chain.named(self.place, session.place.frame, session.treatment.steps[self.place - 1].counted)

    def tie(self, on: bool) -> None:
        """Let a drag draw tie lines."""
        if on and not self.place:
            self.told.emit("Tie lines belong to the step Frame rebuild: add it first.")
            on = False
        self.on = on
        if on:
            self._session.select(self.place)
            self.told.emit("Draw a line over an edge; then go to another frame and drag the line onto the same edge.")
        self._table.show_tying(on)
        self._bar.show_toggle("tie", on)
        self.show()

    def begin_new(self) -> None:
        """The next drag draws another line, wherever it begins."""
        self._active = -1
        self.show()

    def take_out(self) -> None:
        """Take out the line that is worked on."""
        if not 0 <= self._active < len(self.ties):
            self.told.emit("Take hold of a tie line first.")
            return
        left = [tie for place, tie in enumerate(self.ties) if place != self._active]
        self._active = -1
        self._set(left)

    def show(self) -> None:
        """Show the lines as they lie on the present frame."""
        if not (self.on and self.place):
            self._table.show_lines(())
            return
        lines = []
        for place, tie in enumerate(self.ties):
            active = place == self._active
            line, state = _as_seen(tie, self.frame)
            lines.append(ShownLine(self._present if active and self._present else line, state, active))
        if self._present is not None and self._active == len(lines):
            lines.append(ShownLine(self._present, "drawn", True))
        self._table.show_lines(tuple(lines))

    # Pointer

    def _press(self, point: Point) -> None:
        scale = self._table.scale()
        order = sorted(range(len(self.ties)), key=lambda place: place != self._active)
        for place in order:
            line = _as_seen(self.ties[place], self.frame)[0]
            self._grip = grip_of(line, point, scale)
            if self._grip is not None:
                self._active, self._begun = place, line
                self.show()
                return
        self._active, self._grip = len(self.ties), "other end"
        self._begun = (*point, *point)

    def _drag(self, by: Point) -> None:
        if self._begun is not None and self._grip is not None:
            self._present = dragged(self._begun, self._grip, by)
            self.show()

    def _release(self) -> None:
        line, self._present, self._begun = self._present, None, None
        if line is None:
            self.show()
            return
        ties, frame = list(self.ties), self.frame
        if self._active == len(ties):
            if abs(line[2] - line[0]) + abs(line[3] - line[1]) < SHORTEST_PX:
                self._active = -1
                self.show()
                return
            ties.append(TieLine(keys=(TieKey(frame=frame, line=line),)))
        else:
            ties[self._active] = ties[self._active].with_key(frame, line)
        self._set(ties)
        drawn = ties[self._active]
        if len(drawn.keys) == 1:
            self.told.emit("Now go to a good frame on the other side of the gap and drag the line onto the same edge.")
        else:
            first, last = drawn.keys[0].frame, drawn.keys[-1].frame
            self.told.emit(f"This line leads the motion between frames {first} and {last}.")

    def _set(self, ties: list[TieLine]) -> None:
        self._session.change_settings(self.place, {"ties": tuple(tie.model_dump() for tie in ties)})
        self.show()


def _as_seen(tie: TieLine, frame: int) -> tuple[Line, State]:
    """Where a line lies on a frame, and how it comes to lie there."""
    drawn = next((key.line for key in tie.keys if key.frame == frame), None)
    if drawn is not None:
        return drawn, "drawn"
    between = tie.at(frame)
    if between is not None:
        return between, "between"
    nearest = min(tie.keys, key=lambda key: abs(key.frame - frame))
    return nearest.line, "elsewhere"
