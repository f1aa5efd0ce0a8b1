"""The words on the light table: every way of looking that is not the plain picture says so."""

from __future__ import annotations

from typing import TYPE_CHECKING

from grevin.core.treatment.doubtful import doubtful_blobs
from grevin.desktop.light_table.wipe import Wipe
from grevin.desktop.work.looks import Look, Ways

if TYPE_CHECKING:
    from grevin.desktop.light_table.drawing import Drawing

FLAT_DEGREES = 45.0


def labels(look: Look, ways: Ways, drawing: Drawing, wipe: Wipe, waiting: bool) -> list[str]:
    """One line for each."""
    words = []
    if drawing.before:
        words.append("Before: the source")
    elif ways.compare != "one":
        words.append(_compare_words(look, ways, wipe))
    if ways.channel != "colour":
        words.append(f"{ways.channel.capitalize()} alone")
    if drawing.square and look.source.format.pixel_aspect != 1:
        words.append("Pixels shown square")
    if drawing.evidence != "off":
        words.append(_evidence_words(look, drawing))
    if look.time and not drawing.before:
        words.append(look.time[:1].upper() + look.time[1:])
    if waiting:
        words.append("Working …")
    return words


def _compare_words(look: Look, ways: Ways, wipe: Wipe) -> str:
    if ways.compare == "wipe":
        return "Wipe: source " + ("above" if abs(wipe.angle) > FLAT_DEGREES else "on the left")
    if ways.compare == "side":
        return "Side by side"
    if ways.compare == "splice":
        return "Seam view: the frame between the good ones around it"
    if look.computed is None:
        return "Source and view point differ in size: nothing to subtract"
    if ways.compare == "difference":
        return f"Difference, gain {ways.gain:g}"
    if look.harm is None:
        return f"Taken away, gain {ways.gain:g}: nothing was taken"
    return f"Taken away, gain {ways.gain:g}; {look.harm:.0%} of it goes with picture detail: possible loss"


def _evidence_words(look: Look, drawing: Drawing) -> str:
    name = "Evidence alone" if drawing.evidence == "mask" else "Evidence"
    if look.evidence is None:
        return f"{name}: select a step"
    said = look.evidence.doubt or look.evidence.words
    if said:
        return f"{name}: {said}" if look.evidence.mask.any() else f"{name}: none; {said}"
    count = len(look.evidence.blobs)
    words = [f"{name}: {count} found on this frame" if count else f"{name}: nothing found on this frame"]
    doubtful = len(doubtful_blobs(look.evidence))
    words += [f"{doubtful} doubtful"] if doubtful else []
    words += [f"{len(look.evidence.left)} left by your word"] if look.evidence.left else []
    return ", ".join(words)


def pane_words(look: Look, ways: Ways) -> tuple[str, ...]:
    """What lies in each of several panes."""
    if ways.compare != "splice" or look.seam is None:
        return "source", "view point"
    here = look.number if look.output is None else look.output
    (last, _), (first, _) = look.seam
    made = "rebuilt" if "rebuilt" in look.time else "this frame"
    return f"last good: {last}", f"{made}: {here}", f"first good: {first}"
