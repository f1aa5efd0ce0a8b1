"""Dirt: its lane on the reel column. Its pieces are judged by the keys that all local steps share."""

from __future__ import annotations

from typing import ClassVar

from grevin.desktop.steps.desk import CountLane, Desk


class DirtDesk(Desk):
    """What the step Dirt adds to the window."""

    step: ClassVar[str] = "dirt"
    lane: ClassVar[CountLane | None] = CountLane("dirt", "dirt_count", "dirt_found", "dirt", "specks of dirt", 30.0)
