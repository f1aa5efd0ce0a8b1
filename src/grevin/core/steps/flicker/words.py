"""Which flicker it is, in words."""

from __future__ import annotations

LEAST_LEVELS = 0.35  # 8-bit levels of flicker that are taken: clean clips stay below .25, fades too
LEAST_TOLD = 0.005  # share of clipped white that is told


def words_of(figures: dict[str, float], rate: float) -> tuple[str, ...]:
    """What was found in a shot.

    Args:
        figures: of the study.
        rate: frames a second.
    """
    found = []
    levels, period = figures["levels"], int(figures["period"])
    if figures["whole"] and period:
        often = f", {rate / period:.3g} times a second" if rate else ""
        found.append(f"the whole frame flickers by {levels:.1f} levels, the same every {period} frames{often}")
    elif figures["whole"] and figures["spread"] < LEAST_LEVELS and figures["spikes"]:
        found.append(f"{figures['spikes']:.0f} single frames are brighter or darker than those around")
    elif figures["whole"]:
        found.append(f"the whole frame flickers by {levels:.1f} levels, at random")
    if figures["patches"]:
        found.append(f"single parts of the picture flicker by {100 * figures['patch']:.1f} %")
    if not found:
        spread = figures["spread"]
        return (f"No flicker in this shot: {spread:.2f} levels, within what measuring is uncertain by. Left as it is.",)
    words = [" and ".join(found)[:1].upper() + " and ".join(found)[1:] + "."]
    if figures["steps"]:
        times = "once" if figures["steps"] == 1 else f"{figures['steps']:.0f} times"
        words.append(f"Kept: the light goes to another level {times} and stays there.")
    if figures["clipped"] > LEAST_TOLD:
        words.append(
            f"{100 * figures['clipped']:.1f} % of the picture is clipped white: what was lost there stays lost."
        )
    return tuple(words)
