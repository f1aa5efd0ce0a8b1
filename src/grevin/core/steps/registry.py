"""All steps. A new step is one folder and one line here; other packages bring theirs by an entry point."""

from __future__ import annotations

import difflib
from importlib.metadata import entry_points

from grevin.core.errors import SettingsError
from grevin.core.steps.bands.step import BandsStep
from grevin.core.steps.base import AnyStep, Registry
from grevin.core.steps.chroma.step import ChromaStep
from grevin.core.steps.compression.step import CompressionStep
from grevin.core.steps.dirt.step import DirtStep
from grevin.core.steps.dropout.step import DropoutStep
from grevin.core.steps.edges.step import EdgesStep
from grevin.core.steps.enlarge.step import EnlargeStep
from grevin.core.steps.fields.step import FieldsStep
from grevin.core.steps.flicker.step import FlickerStep
from grevin.core.steps.gradients.step import GradientsStep
from grevin.core.steps.grain.step import GrainStep
from grevin.core.steps.jitter.step import JitterStep
from grevin.core.steps.light.step import LightStep
from grevin.core.steps.noise.step import NoiseStep
from grevin.core.steps.pick.step import PickStep
from grevin.core.steps.rebuild.step import RebuildStep
from grevin.core.steps.reframe.step import ReframeStep
from grevin.core.steps.repeats.step import RepeatsStep
from grevin.core.steps.retouch.step import RetouchStep
from grevin.core.steps.scratch.step import ScratchStep
from grevin.core.steps.sidefill.step import SidefillStep
from grevin.core.steps.spot.step import SpotStep
from grevin.core.steps.stairs.step import StairsStep
from grevin.core.steps.wobble.step import WobbleStep

GROUP = "grevin.steps"  # of entry points: a name, and the class of a step

REGISTRY = Registry()
for step in (
    PickStep(), RepeatsStep(), FieldsStep(), RebuildStep(), DropoutStep(), JitterStep(), WobbleStep(),
    ChromaStep(), CompressionStep(), NoiseStep(), GradientsStep(), FlickerStep(), BandsStep(), LightStep(), DirtStep(),
    ScratchStep(), SpotStep(), RetouchStep(), EdgesStep(), StairsStep(), ReframeStep(), SidefillStep(), EnlargeStep(),
    GrainStep(),
):  # fmt: skip
    REGISTRY.add(step)


def add_installed(registry: Registry) -> None:
    """Take in the steps that other installed packages bring; one that cannot be used is named and left out."""
    for point in entry_points(group=GROUP):
        package = point.dist.name if point.dist is not None else "an unknown package"
        try:
            registry.add(point.load()())
        except Exception as fault:  # noqa: BLE001 - whatever another package does wrong, Grevin works without its step
            registry.faults.append(f"The step “{point.name}” of {package} is left out: {fault}")


add_installed(REGISTRY)


def sources_of(step_id: str) -> dict[str, str]:
    """From where a step can mend single places, with words for people; nothing where there is no choice, or no step."""
    return dict(getattr(REGISTRY.steps.get(step_id), "sources", {}))


def step_by_id(step_id: str) -> AnyStep:
    """The step of that id.

    Raises:
        SettingsError: naming the nearest id that exists.
    """
    try:
        return REGISTRY.steps[step_id]
    except KeyError:
        known = list(REGISTRY.steps)
        near = difflib.get_close_matches(step_id, known, 1)
        hint = f"Did you mean “{near[0]}”?" if near else f"The steps are: {', '.join(known)}."
        raise SettingsError(f"There is no step “{step_id}”.", hint) from None
