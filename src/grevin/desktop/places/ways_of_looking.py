"""How one looks: comparing, channel, evidence, the wipe's line. State of the light table, told when it changes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, Signal

from grevin.core.picture.display import Channel
from grevin.desktop.light_table.drawing import Drawing, EvidenceMode
from grevin.desktop.light_table.wipe import Wipe
from grevin.desktop.work.looks import Compare, Look, Ways

GAIN_STEP = 2.0
LEAST_GAIN, MOST_GAIN = 1.0, 64.0


class WaysOfLooking(QObject):
    """Holds the state; `ways_changed` needs other pictures, the other signals only another drawing."""

    ways_changed = Signal()
    drawing_changed = Signal()
    wipe_changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.ways = Ways()
        self.drawing = Drawing()
        self.wipe = Wipe()
        channels: tuple[Channel, ...] = ("colour", "red", "green", "blue", "luma", "chroma")
        self.acts: dict[str, Callable[[], None]] = {
            "one_picture": self.plain, "turn_wipe": self._turn_wipe, "pixels": self._switch_pixels,
            "one_field": self._switch_field,
            "gain_up": partial(self._gain, GAIN_STEP), "gain_down": partial(self._gain, 1 / GAIN_STEP),
            "evidence": partial(self._switch_evidence, "hatch"), "mask": partial(self._switch_evidence, "mask"),
            **{name: partial(self._switch_compare, name) for name in ("wipe", "side", "splice", "difference", "taken")},
            **{name: partial(self._switch_channel, name) for name in channels},
        }  # fmt: skip

    @property
    def states(self) -> dict[str, Callable[[], bool]]:
        """What tells whether an act that switches something is on."""
        compares = ("wipe", "side", "splice", "difference", "taken")
        channels = ("colour", "red", "green", "blue", "luma", "chroma")
        return {
            **{name: partial(self._is, "compare", name) for name in compares},
            **{name: partial(self._is, "channel", name) for name in channels},
            "evidence": lambda: self.drawing.evidence == "hatch", "mask": lambda: self.drawing.evidence == "mask",
            "pixels": lambda: self.drawing.square, "one_field": lambda: self.ways.field != "both",
        }  # fmt: skip

    def _is(self, way: str, value: str) -> bool:
        return bool(getattr(self.ways, way) == value)

    def change(self, changes: dict[str, Any]) -> None:
        """Look another way."""
        ways = replace(self.ways, **changes)
        if ways != self.ways:
            self.ways = ways
            self.ways_changed.emit()

    def draw(self, **changes: Any) -> None:
        """Draw another way."""
        drawing = replace(self.drawing, **changes)
        if drawing != self.drawing:
            self.drawing = drawing
            self.drawing_changed.emit()

    def move_wipe(self, wipe: Wipe) -> None:
        """Another place of the wipe's line."""
        self.wipe = wipe
        self.wipe_changed.emit()

    def plain(self) -> None:
        """One picture, all channels, nothing over it."""
        self.change({"compare": "one", "channel": "colour", "colours": None, "field": "both"})
        self.draw(evidence="off")

    def _switch_compare(self, compare: Compare) -> None:
        self.change({"compare": "one" if self.ways.compare == compare else compare})

    def _switch_channel(self, channel: Channel) -> None:
        self.change({"channel": "colour" if self.ways.channel == channel else channel})

    def _switch_field(self) -> None:
        self.change({"field": "earlier" if self.ways.field == "both" else "both"})

    def step_field(self, by: int, look: Look | None) -> int:
        """Go one field on or back, where one looks at one alone; says how many frames that is."""
        shown = look is not None and look.frame.format.has_fields and self.ways.field != "both"
        if not shown or abs(by) != 1:
            return by
        inside = by == (1 if self.ways.field == "earlier" else -1)
        self.change({"field": "later" if self.ways.field == "earlier" else "earlier"})
        return 0 if inside else by

    def _switch_evidence(self, mode: EvidenceMode) -> None:
        self.draw(evidence="off" if self.drawing.evidence == mode else mode)

    def _switch_pixels(self) -> None:
        self.draw(square=not self.drawing.square)

    def _turn_wipe(self) -> None:
        self.move_wipe(self.wipe.turned())
        self.change({"compare": "wipe"})

    def _gain(self, factor: float) -> None:
        self.change({"gain": min(MOST_GAIN, max(LEAST_GAIN, self.ways.gain * factor))})
