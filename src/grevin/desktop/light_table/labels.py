"""The words on the light table: every way of looking that is not the plain picture says so."""

from __future__ import annotations

from typing import TYPE_CHECKING

from grevin.core.picture.fields import parities_in_time
from grevin.core.treatment.doubtful import doubtful_blobs
from grevin.desktop.light_table.wipe import Wipe
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look, Ways

if TYPE_CHECKING:
    from grevin.desktop.light_table.drawing import Drawing

FLAT_DEGREES = 45.0


def labels(look: Look, ways: Ways, drawing: Drawing, wipe: Wipe, waiting: bool) -> list[str]:
    """One line for each."""
    words = []
    if drawing.before:
        words.append(tr("Before: the source, enlarged plainly") if look.scaled else tr("Before: the source"))
    elif ways.compare != "one":
        words.append(_compare_words(look, ways, wipe))
    if ways.colours is not None:
        words.append(tr("Only the colours of the box"))
    if ways.channel != "colour":
        words.append(tr(f"{ways.channel.capitalize()} alone"))
    if ways.field != "both":
        words.append(_field_words(look, ways))
    if drawing.square and look.source.format.pixel_aspect != 1:
        words.append(tr("Pixels shown square"))
    if drawing.evidence != "off":
        words.append(_evidence_words(look, drawing))
    if look.time and not drawing.before:
        words.append(look.time[:1].upper() + look.time[1:])
    if waiting:
        words.append(tr("Working …"))
    return words


def _field_words(look: Look, ways: Ways) -> str:
    if not look.frame.format.has_fields:
        return tr("No fields here: the whole picture")
    order = parities_in_time(look.frame.format)
    first_lines = order[0 if ways.field == "earlier" else 1] == 0
    which = tr("Earlier field alone") if ways.field == "earlier" else tr("Later field alone")
    return tr("{0}: lines {1}, each shown twice", which, "1, 3, 5 …" if first_lines else "2, 4, 6 …")


def _compare_words(look: Look, ways: Ways, wipe: Wipe) -> str:
    if ways.compare == "wipe":
        return tr("Wipe: source above") if abs(wipe.angle) > FLAT_DEGREES else tr("Wipe: source on the left")
    if ways.compare == "side":
        return tr("Side by side")
    if ways.compare == "splice":
        return tr("Seam view: the frame between the good ones around it")
    if look.computed is None:
        return tr("Source and view point differ in size: nothing to subtract")
    if ways.compare == "difference":
        return tr("Difference, gain {0:g}", ways.gain)
    if look.harm is None:
        return tr("Taken away, gain {0:g}: nothing was taken", ways.gain)
    return tr("Taken away, gain {0:g}; {1:.0%} of it goes with picture detail: possible loss", ways.gain, look.harm)


def _evidence_words(look: Look, drawing: Drawing) -> str:
    name = tr("Evidence alone") if drawing.evidence == "mask" else tr("Evidence")
    if look.evidence is None:
        return tr("{0}: select a step", name)
    said = look.evidence.doubt or look.evidence.words
    if said:
        return f"{name}: {said}" if look.evidence.mask.any() else tr("{0}: none; {1}", name, said)
    count = len(look.evidence.blobs)
    words = [tr("{0}: {1} found on this frame", name, count) if count else tr("{0}: nothing found on this frame", name)]
    doubtful = len(doubtful_blobs(look.evidence))
    words += [tr("{0} doubtful", doubtful)] if doubtful else []
    words += [tr("{0} left by your word", len(look.evidence.left))] if look.evidence.left else []
    return ", ".join(words)


def pane_words(look: Look, ways: Ways) -> tuple[str, ...]:
    """What lies in each of several panes."""
    if ways.compare != "splice" or look.seam is None:
        return tr("source"), tr("view point")
    here = look.number if look.output is None else look.output
    (last, _), (first, _) = look.seam
    made = tr("rebuilt") if "rebuilt" in look.time else tr("this frame")
    return tr("last good: {0}", last), f"{made}: {here}", tr("first good: {0}", first)
