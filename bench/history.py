"""What earlier runs of a suite gave, so that a change can be held against the last one."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import platformdirs


def history_path() -> Path:
    """Where runs are written down unless told otherwise."""
    return Path(platformdirs.user_state_dir("grevin")) / "bench-history.jsonl"


def last_run(path: Path, data: dict[str, Any]) -> dict[str, Any] | None:
    """The last run of the same suite on the same clips; None where there is none. What cannot be read is passed."""
    wanted = _kind(data)
    found = None
    for line in path.read_text(encoding="utf-8").splitlines() if path.is_file() else ():
        try:
            run = json.loads(line)
            if [run["suite"], run["clips"]] == wanted:
                found = run
        except (ValueError, KeyError, TypeError):
            continue
    return found


def write_down(path: Path, data: dict[str, Any]) -> None:
    """Add a run to the history."""
    suite, clips = _kind(data)
    now = datetime.now(UTC).isoformat(timespec="seconds")
    row = {"at": now, "suite": suite, "clips": clips, "figures": figures_of(data)}
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("a", encoding="utf-8") as stream:
        stream.write(json.dumps(row) + "\n")


def figures_of(data: dict[str, Any]) -> dict[str, float]:
    """The figures of a suite that stand for the whole of it."""
    found = data.get("together", data)
    return {
        str(name): value
        for name, value in found.items()
        if isinstance(value, int | float) and name not in {"version", "long_reel_frames"}
    }


def compared(data: dict[str, Any], before: dict[str, Any] | None) -> list[tuple[str, float, float | None]]:
    """(name, now, then) of each figure."""
    then = before["figures"] if before is not None else {}
    return [(name, value, then.get(name)) for name, value in figures_of(data).items()]


def _kind(data: dict[str, Any]) -> list[Any]:
    return [data["suite"], [row["clip"] for row in data.get("clips", [])]]
