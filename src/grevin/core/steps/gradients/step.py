"""Widens the steps of soft gradients that too few bits left: a sky, fog, a fade show contours.

Where a plane explains all that a window holds but for rounding, its samples are put onto it, none farther than rounding
goes. Rounded to the material's own depth the picture is the source's, sample for sample: what is gained shows in an
output of more bits, or with dither. Noise hides steps by itself: such a shot comes out bit for bit. Steps of several
code values, of pictures that once had fewer bits than their file, are told by the code values that never come; what is
widened there, by half a step at most, shows at the material's own depth too.
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np
import numpy.typing as npt

from grevin.core.measure.sampling import spread_over
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.gradients.depth import NO_STEP, Steps, steps_in
from grevin.core.steps.gradients.fitting import softened
from grevin.core.steps.gradients.settings import GradientsSettings
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

Plane = npt.NDArray[np.float32]

LOOKED_AT = 6  # frames of a shot
WHOLE = 1e-3  # of a code value: so near to one it is one
MOVED = 0.1  # of a step, from which a sample counts as widened
LEAST = 1 / 64  # of a step: less is no gain at any depth that is written


class GradientsStep:
    """See the module."""

    id: ClassVar[str] = "gradients"
    label: ClassVar[str] = "Stepped gradients"
    fault: ClassVar[str] = "Skies, fog and fades show contours: soft gradients lie in steps of too few bits"
    version: ClassVar[int] = 1
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "signal"
    settings_model: ClassVar[type[Settings]] = GradientsSettings
    works_on_fields: ClassVar[bool] = True  # the two fields of a frame are two moments
    learns_from: ClassVar[LearnsFrom] = "one field"

    def reach(self, settings: GradientsSettings) -> int:
        """Looks at no other frame."""
        return 0

    def learn(self, shot: Shotwise, settings: GradientsSettings, progress: Progress) -> Arrays:
        """How large the steps of each plane are, and over how much of the picture gradients lie in them."""
        return shot.kept("steps of gradients", lambda: _measured(shot, progress))

    def render(self, window: Window, settings: GradientsSettings) -> Frame:
        """The frame with its steps widened; itself where there are none."""
        frame, study = window.frame(), window.study()
        planes = list(frame.planes)
        for place in range(frame.format.colour_planes if settings.strength > 0 else 0):
            is_colour = frame.format.model == "yuv" and place > 0
            found = float(study["share_pct"][place]) >= max(settings.least_pct, 1e-9)
            if (is_colour and not settings.colour) or (settings.acts == "found" and not found):
                continue
            steps = Steps(float(study["size"][place]), float(study["first"][place]))
            made = _widened(np.asarray(planes[place], np.float32), steps, settings.strength)
            planes[place] = planes[place] if made is None else made
        same = all(one is other for one, other in zip(planes, frame.planes, strict=True))
        return frame if same else frame.with_planes(planes)

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        share, bits = float(study["share_pct"].max(initial=0.0)), int(study["bits"])
        if not share >= GradientsSettings().least_pct:
            return ("No soft gradient lies in steps: there is none, or noise hides them. Nothing is changed.",)
        size = float(study["size"][int(study["share_pct"].argmax())])
        of = "1 code value" if size <= 1 else f"{size:.3g} code values"
        said = f"Soft gradients lie in steps of {of} over {share:.0f} % of the picture."
        seen = (
            f"What is gained shows in an output of more than {bits} bit, or with dither: rounded to {bits} it is gone."
        )
        return (said, seen) if size <= 1 else (said,)


def _measured(shot: Shotwise, progress: Progress) -> Arrays:
    chosen = spread_over(shot.frames, LOOKED_AT)
    progress.begin(len(chosen), "Looking for steps in gradients")
    frames = [shot.window(number).frame() for number in chosen]
    fmt = frames[0].format
    count = 0 if fmt.sample == "half" else fmt.colour_planes
    found = [steps_in([frame.planes[place] for frame in frames], fmt.max_code) for place in range(count)]
    shares = np.zeros((len(frames), fmt.colour_planes))

    def look(row: int) -> list[float]:
        planes = frames[row].planes
        return [_share(np.asarray(planes[place], np.float32), steps) for place, steps in enumerate(found)]

    for row, seen in enumerate(in_parallel(look, range(len(frames)))):
        shares[row, : len(seen)] = seen
        progress.advance()
    found += [NO_STEP] * (fmt.colour_planes - count)
    return {
        "size": np.array([one.size for one in found]), "first": np.array([one.first for one in found]),
        "share_pct": 100.0 * shares.max(axis=0), "bits": np.array(fmt.bit_depth),
    }  # fmt: skip


def _share(plane: Plane, steps: Steps) -> float:
    """Share of a plane that is widened by windows of some size."""
    if not steps:
        return 0.0
    whole, values = _in_steps(plane, steps)
    soft, wide = softened(values)
    return float(np.mean(whole & (wide > 0) & (np.abs(soft - values) > MOVED)))


def _widened(plane: Plane, steps: Steps, strength: float) -> Plane | None:
    """The plane without steps, float32 code values; None where it stays as it is."""
    if not steps:
        return None
    whole, values = _in_steps(plane, steps)
    soft, _ = softened(values)
    moved = whole & (np.abs(soft - values) > LEAST)
    if not moved.any():
        return None
    return np.where(moved, plane + np.float32(strength * steps.size) * (soft - values).astype(np.float32), plane)


def _in_steps(plane: Plane, steps: Steps) -> tuple[npt.NDArray[np.bool_], npt.NDArray[np.float64]]:
    """(H, W) bool, samples that are whole code values, which no step made anew; and all of them in steps."""
    whole = np.abs(plane - np.rint(plane)) <= WHOLE
    values = (plane.astype(np.float64) - steps.first) / steps.size
    near = np.rint(values)
    return whole, np.where(whole & (np.abs(near - values) * steps.size <= 0.5 + WHOLE), near, values)
