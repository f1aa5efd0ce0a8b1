"""Material of the command line's tests."""

from __future__ import annotations

from pathlib import Path

import pytest

from grevin.core.quality.damage.dirt import DirtDamage
from tests.conftest import moving_frames, write_video

COUNT = 60


@pytest.fixture
def worn_reel(tmp_path: Path) -> Path:
    damage, clean = DirtDamage(seed=5, blobs_per_frame=60, hair_share=0.0, largest_px=10), moving_frames(COUNT)
    return write_video(tmp_path / "worn.mkv", [damage.add(clean.frame(n))[0] for n in range(COUNT)], sound=True)
