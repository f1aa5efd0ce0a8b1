"""What was found of a codec in a shot, in words."""

from __future__ import annotations

from grevin.core.measure.blocks import PLAIN, Grid
from grevin.core.steps.compression.grids import Grids, share_of, step_of


def words_of(grids: Grids) -> tuple[str, ...]:
    """Sentences about the grids of brightness and colour."""
    brightness, colour = grids
    if not any(brightness):
        return ("No grid of blocks shows: what a codec left, if anything, was smoothed by it. Nothing is changed.",)
    said = [f"The blocks of a codec show in brightness: {_words(brightness)}."]
    share = share_of(brightness)
    if share < 1:
        taken = f"{100 * share:.0f} % of what looks like residue is taken" if share > 0 else "nothing is changed"
        said.append(f"Their steps of {step_of(brightness):.1f} levels hardly show: {taken}.")
    if any(colour):
        said.append(f"In the colour differences: {_words(colour)}, in samples of colour.")
    if any(grid and grid.period not in PLAIN for grid in brightness):
        said.append("The picture was scaled after it was coded.")
    return tuple(said)


def _words(pair: tuple[Grid, Grid]) -> str:
    parts = [
        f"{name} every {grid.period:.4g} {unit} from {grid.offset:.4g}, standing out {grid.clearness:.0f} times"
        for name, unit, grid in (("across", "px", pair[0]), ("down", "lines", pair[1])) if grid
    ]  # fmt: skip
    return "; ".join(parts)
