"""Writes docs/steps/*.md anew: `python tools/write_step_pages.py`. What stands below the marker is kept."""

from pathlib import Path

from grevin.core.steps.manual import manual_page
from grevin.core.steps.registry import REGISTRY

MARKER = "<!-- written by hand below -->\n"
FOLDER = Path(__file__).parent.parent / "docs" / "steps"

for step in REGISTRY.steps.values():
    page = FOLDER / f"{step.id}.md"
    below = page.read_text().partition(MARKER)[2] if page.exists() else ""
    page.write_text(manual_page(step) + "\n" + MARKER + below)
