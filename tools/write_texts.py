"""Writes the list of texts to translate: `python tools/write_texts.py grevin_xx.ts`; what is translated in it is kept.

`pyside6-lrelease grevin_xx.ts` makes the file that Grevin reads, from the folder `languages` in its data folder.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path
from xml.etree import ElementTree as ET

from grevin.core.steps.registry import REGISTRY
from grevin.core.survey.words import CURVE_WORDS, KIND_WORDS
from grevin.core.timebase.counters import COUNTER_LABELS
from grevin.desktop.steps.desks import LANES, every_key
from grevin.desktop.texts import CONTEXT

DESKTOP = Path(__file__).parent.parent / "src" / "grevin" / "desktop"


def texts() -> tuple[set[str], set[str]]:
    """All texts, and those that are about a number of things."""
    plain, counted = set(_declared()), set()
    for path in DESKTOP.rglob("*.py"):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        plain.update(_tables(tree))
        for node in ast.walk(tree):
            if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name)):
                continue
            words = [part.value for part in node.args if isinstance(part, ast.Constant) and isinstance(part.value, str)]
            if node.func.id == "tr" and words:
                plain.add(words[0])
            elif node.func.id == "tr_count":
                counted.add(words[1])
    return {text for text in plain if any(letter.isalpha() for letter in text)}, counted


def _tables(tree: ast.Module) -> Iterator[str]:
    """Words in the tables of a module, whose names are in capitals."""
    for node in tree.body:
        targets = (
            node.targets if isinstance(node, ast.Assign) else [node.target] if isinstance(node, ast.AnnAssign) else []
        )
        if any(isinstance(target, ast.Name) and target.id.isupper() for target in targets):
            for part in ast.walk(node):
                if isinstance(part, ast.Constant) and isinstance(part.value, str):
                    yield part.value


def _declared() -> Iterator[str]:
    """What the core and the list of keys declare."""
    for key in every_key():
        yield from (key.label, key.on_card, key.group)
    for step in REGISTRY.steps.values():
        yield from (step.label, str(getattr(step, "fault", "")))
        for field in step.settings_model.model_fields.values():
            extra = field.json_schema_extra
            assert isinstance(extra, dict)
            yield from (str(field.title), str(field.description), str(extra["unit"]), str(extra["lowest"]))
            yield from extra["words"].values()  # type: ignore[union-attr,misc]
            yield from (str(value) for value in getattr(field.annotation, "__args__", ()) if isinstance(value, str))
    for lane in LANES:
        yield from (lane.head, lane.unit)
    yield from (*KIND_WORDS.values(), *CURVE_WORDS.values(), *COUNTER_LABELS.values())


def write(path: Path) -> int:
    """Write the file, keeping what it has; returns how many texts wait for a translation."""
    known = {}
    if path.exists():
        for message in ET.parse(path).iter("message"):
            known[message.findtext("source", "")] = message.find("translation")
    root = ET.Element("TS", version="2.1", language=path.stem.partition("_")[2])
    context = ET.SubElement(root, "context")
    ET.SubElement(context, "name").text = CONTEXT
    plain, counted = texts()
    waiting = 0
    for text in sorted(plain | counted):
        message = ET.SubElement(context, "message", {"numerus": "yes"} if text in counted else {})
        ET.SubElement(message, "source").text = text
        old = known.get(text)
        if old is not None and old.get("type") != "unfinished":
            message.append(old)
            continue
        waiting += 1
        new = ET.SubElement(message, "translation", type="unfinished")
        if text in counted:
            ET.SubElement(new, "numerusform")
    ET.indent(root)
    path.write_bytes(b'<?xml version="1.0" encoding="utf-8"?>\n<!DOCTYPE TS>\n' + ET.tostring(root, "utf-8"))
    return waiting


if __name__ == "__main__":
    sys.stdout.write(f"{write(Path(sys.argv[1]))} texts wait for a translation.\n")
