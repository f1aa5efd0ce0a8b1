"""Which flicker it is, in words."""

from __future__ import annotations

from grevin.core.steps.charting import LEFT_ALONE

LEAST_LEVELS = 0.35  # 8-bit levels of flicker that are taken: clean clips stay below .25, fades too
UNSURE_TIMES = 2.0  # what noise makes uncertain: below that nothing is believed
LEAST_TOLD = 0.005  # share of clipped white that is told
SAME_PERIOD = 0.25  # frames: a period of whole frames that is met by a swing
UNSURE_LEVELS, UNSURE_SHARE = 0.18, 0.012  # of noise, from which less is seen than in quiet material


def words_of(figures: dict[str, float], rate: float, per_frame: int = 1) -> tuple[str, ...]:
    """What was found in a shot.

    Args:
        figures: of the study.
        rate: frames a second.
        per_frame: pictures a frame that were compared: 2 for fields.
    """
    found = []
    rate, pictures = rate * per_frame, "fields" if per_frame > 1 else "frames"
    levels, period = figures["levels"], int(figures["period"])
    swings = figures["beat"] > 0 and abs(figures["beat"] - period) > SAME_PERIOD
    if figures["whole"] and period and not swings:
        often = f", {rate / period:.3g} times a second" if rate else ""
        found.append(f"the whole frame flickers by {levels:.1f} levels, the same every {period} {pictures}{often}")
    elif figures["whole"] and swings:
        beat = figures["beat"]
        often = f" ({rate / beat:.3g} times a second)" if rate else ""
        found.append(
            f"the whole frame flickers by {levels:.1f} levels and swings every {beat:.3g} {pictures}{often}, "
            f"as under lamps out of step with the camera"
        )
    elif figures["whole"] and figures["spread"] < LEAST_LEVELS and figures["spikes"]:
        found.append(f"{figures['spikes']:.0f} single {pictures} are brighter or darker than those around")
    elif figures["whole"]:
        found.append(f"the whole frame flickers by {levels:.1f} levels, at random")
    if figures["patches"]:
        found.append(f"single parts of the picture flicker by {100 * figures['patch']:.1f} %")
    if not figures["compared"]:
        return ("Too few frames here show the same things for their light to be compared.", LEFT_ALONE)
    unsure = _unsure(figures)
    if not found:
        return (_why_none(figures), LEFT_ALONE, *unsure)
    first = " and ".join(found)
    return (first[:1].upper() + first[1:] + ".", *_kept(figures, pictures), *unsure)


def _kept(figures: dict[str, float], pictures: str) -> list[str]:
    """What is left as it is beside the flicker that is taken."""
    words = []
    if figures["outside"]:
        by_parts = "; what lies between is brought to rest part by part" if figures["stretches"] > 1 else ""
        left = int(figures["outside"])
        words.append(f"Left as they are: {left} of the {pictures}, in fades or apart from the rest{by_parts}.")
    if figures["steps"]:
        times = "once" if figures["steps"] == 1 else f"{figures['steps']:.0f} times"
        words.append(f"Kept: the light goes to another level {times} and stays there.")
    if figures["clipped"] > LEAST_TOLD:
        words.append(
            f"{100 * figures['clipped']:.1f} % of the picture is clipped white: what was lost there stays lost."
        )
    return words


def _why_none(figures: dict[str, float]) -> str:
    """What is said where nothing is taken."""
    if figures["spikes"]:
        return _left_single(int(figures["spikes"]), int(figures["lighter"]))
    if figures["spread"] > max(LEAST_LEVELS, UNSURE_TIMES * figures["unsure"]):
        return "No flicker is told in this shot: its own light goes fast, as in a fade."
    return f"No flicker in this shot: {figures['spread']:.2f} levels, within what measuring is uncertain by."


def _left_single(count: int, lighter: int) -> str:
    """What is said of frames that are off by themselves, and are left."""
    are = f"{count} single frames are" if count > 1 else "1 single frame is"
    if lighter == count:
        how = "lighter than those around, as in the light of a flash"
    else:
        how = "lighter or darker than those around" if lighter else "darker than those around"
    return f"No flicker in this shot; {are} {how}. To bring them to rest set Single frames (More settings) to taken."


def _unsure(figures: dict[str, float]) -> tuple[str, ...]:
    """Where noise keeps weak flicker from being seen."""
    frame, part = figures["unsure"], figures["unsure_part"]
    if frame < UNSURE_LEVELS and part < UNSURE_SHARE:
        return ()
    return (
        f"Noise disturbs measuring here, by {frame:.2f} levels of the frame and {100 * part:.1f} % of single parts: "
        f"weaker flicker is not seen. Take noise down first.",
    )
