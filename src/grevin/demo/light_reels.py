"""Reels of Port Ellery whose light is not at rest, each with what is true of it.

A time-lapse of the harbour with exposure that jumps, the tram at the quay under a lamp that flickers in one corner, a
band that rolls over the regatta, and the ferry by a camcorder whose codec pulses.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.light import BandDamage, FlickerDamage
from grevin.demo.time_reels import FERRY, HARBOUR, PAL, QUAY, REGATTA, SEED, TAPE_NOISE, TimeReel, drawn, noisy

LENGTH = 72
HURRY = 2.0  # how much faster than on film things go in the time-lapse
PULSE_FRAMES = 8
LAPSE = FlickerDamage(SEED, "random", 0.7)
LAMP = FlickerDamage(SEED, "corner", 1.2)
BAND = BandDamage(SEED, 0.22, 0.85, -0.09)
PULSE = FlickerDamage(SEED, "periodic", 0.6, PULSE_FRAMES)


# name: shot, how fast it goes, what the light does
LIGHTS: dict[str, tuple[int, float, Any]] = {
    "harbour-time-lapse": (HARBOUR, HURRY, LAPSE), "tram-under-a-lamp": (QUAY, 1.0, LAMP),
    "regatta-with-a-band": (REGATTA, 1.0, BAND), "ferry-that-pulses": (FERRY, 1.0, PULSE),
}  # fmt: skip


def _reel(name: str, truth: dict[str, Any]) -> TimeReel:
    return TimeReel(name, PAL, LENGTH, _damaged(*LIGHTS[name]), truth)


def _damaged(shot: int, pace: float, damage: Any) -> Callable[[int], Frame]:
    def make(number: int) -> Frame:
        made: Frame = damage.add(steady(shot, pace, number))[0]
        return made

    return make


def steady(shot: int, pace: float, number: int) -> Frame:
    """The frame as it would be in light at rest."""
    return noisy(number, drawn(shot, pace * number, PAL), PAL, TAPE_NOISE)


def light_reels() -> tuple[TimeReel, ...]:
    """All of them."""
    return (
        _reel("harbour-time-lapse", {"flicker": "random", "depth": LAPSE.depth}),
        _reel("tram-under-a-lamp", {"flicker": "corner", "depth": LAMP.depth}),
        _reel("regatta-with-a-band", {"band": {"period": BAND.period, "speed": BAND.speed}}),
        _reel("ferry-that-pulses", {"flicker": "periodic", "period": PULSE_FRAMES}),
    )
