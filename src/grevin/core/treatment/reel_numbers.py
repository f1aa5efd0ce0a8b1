"""Frames that a person names in the settings of a time step are the reel's own: translated for what the step sees.

So they stay where they were said when a change of time before the step becomes another one.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from grevin.core.steps.settings import Settings, names_frames
from grevin.core.timebase.timeline import Timeline


def for_the_step(settings: Settings, before: Timeline | None) -> Settings:
    """The settings of a time step with the frames as they are numbered before it.

    Args:
        settings: with frames of the reel.
        before: the frame map before the step; None where nothing changes time there. Frames that it leaves out go.
    """
    if before is None:
        return settings
    changes: dict[str, Any] = {}
    for name in type(settings).model_fields:
        how = names_frames(type(settings), name)
        value = getattr(settings, name)
        if how == "keys":
            changes[name] = tuple(kept for item in value if (kept := _with_keys(item, before)) is not None)
        elif how:
            changes[name] = tuple(sorted({place for frame in value for place in _places(frame, how, before)}))
    return settings.model_copy(update=changes)


def _places(frame: int, how: str, before: Timeline) -> Iterable[int]:
    """Where a frame of the reel is shown."""
    shown = before.outputs_in(range(frame, frame + 1))
    if frame >= before.length:
        return (len(before) + frame - before.length,)  # the step says that there is none
    if how == "each":
        return shown
    return shown[:1] if how == "first" else shown[-1:]


def _with_keys(item: Any, before: Timeline) -> Any:
    keys = [(place, key) for key in item.keys for place in _places(key.frame, "first", before)]
    moved = tuple(key.model_copy(update={"frame": place}) for place, key in keys)
    return item.model_copy(update={"keys": moved}) if moved else None
