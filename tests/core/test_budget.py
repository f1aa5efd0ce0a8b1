"""Memory for pictures follows from the path and the picture's size, and stays bounded."""

from __future__ import annotations

from grevin.core.picture.format import PictureFormat
from grevin.core.treatment.budget import LEAST_BYTES, MOST_BYTES, cache_bytes
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SD, HD = PictureFormat(720, 576, "yuv", 8, chroma="4:2:2"), PictureFormat(1920, 1080, "yuv", 10, chroma="4:2:2")


def of(*steps: str, fmt: PictureFormat) -> int:
    return cache_bytes(Plan.whole(Treatment(steps=tuple(map(TreatmentStep.make, steps)))), fmt)


def test_deep_paths_and_large_pictures_get_more_up_to_a_bound() -> None:
    assert of(fmt=SD) == of("dirt", fmt=SD) == LEAST_BYTES
    assert LEAST_BYTES <= of("dirt", "dirt", "rebuild", fmt=SD) <= of("dirt", "dirt", fmt=HD) <= MOST_BYTES
    assert of("dirt", "rebuild", "pick", fmt=HD) <= MOST_BYTES
