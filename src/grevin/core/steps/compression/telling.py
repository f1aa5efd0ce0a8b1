"""What was found of a codec in a shot, in words."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.measure.blocks import PLAIN, Grid
from grevin.core.measure.quantised import coded_as
from grevin.core.steps.compression.grids import Grids, share_of, step_of


def words_of(grids: Grids, combs: npt.NDArray[np.floating]) -> tuple[str, ...]:
    """Sentences about the grids of brightness and colour, and how the pictures were coded.

    Args:
        grids: of both.
        combs: (n,) how far the first frames of the shot are combed; none where that was not looked at.
    """
    brightness, colour = grids
    kind = _kind(combs, any(brightness))
    if not any(brightness):
        why = "what a codec left is too fine" if kind else "what a codec left, if anything, was smoothed by it"
        return (f"No grid of blocks shows: {why}. Nothing is changed.", *kind)
    said = [f"The blocks of a codec show in brightness: {_words(brightness)}."]
    share = share_of(brightness)
    if share < 1:
        taken = f"{100 * share:.0f} % of what looks like residue is taken" if share > 0 else "nothing is changed"
        said.append(f"Their steps of {step_of(brightness):.1f} levels hardly show: {taken}.")
    if any(colour):
        said.append(f"In the colour differences: {_words(colour)}, in samples of colour.")
    if any(grid and grid.period not in PLAIN for grid in brightness):
        said.append("The picture was scaled after it was coded.")
    return (*said, *kind)


def _kind(combs: npt.NDArray[np.floating], shows: bool) -> tuple[str, ...]:
    """Which family of codecs it was, from which pictures were coded by themselves."""
    if not len(combs):
        return ()
    found = coded_as(combs)
    if found.each:
        return ("Each picture was coded by itself: Motion JPEG, or another codec of whole pictures.",)
    if found.group:
        return (
            f"One picture in {found.group} was coded by itself, picture {found.whole[0] + 1} of this shot the first of "
            "them: a codec of the MPEG family.",
        )  # fmt: skip
    if found.whole:
        return (f"Picture {found.whole[0] + 1} of this shot was coded by itself: a codec of the MPEG family.",)
    if shows:
        return (
            "No picture shows the even steps of one codec alone: they changed from block to block, as in DV and H.264, "
            "or it was coded or changed again since.",
        )  # fmt: skip
    return ()


def _words(pair: tuple[Grid, Grid]) -> str:
    parts = [
        f"{name} every {grid.period:.4g} {unit} from {grid.offset:.4g}, standing out {grid.clearness:.0f} times"
        for name, unit, grid in (("across", "px", pair[0]), ("down", "lines", pair[1])) if grid
    ]  # fmt: skip
    return "; ".join(parts)
