"""What a person says is about the reel's own pixels, also for steps that see another shape of the picture."""

from __future__ import annotations

import json
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from skimage.transform import AffineTransform

from grevin.core.media.opening import open_reel
from grevin.core.picture.geometry import Geometry
from grevin.core.progress import Progress
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.evidence_files import read_evidence
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from grevin.core.treatment.verdicts import Verdict, Verdicts
from tests.conftest import moving_frames, write_video

FRAME = 5
ZOOM = TreatmentStep.make(
    "reframe", {"keys": [{"frame": 0, "zoom": 2.0, "x": 0.4, "y": 0.5}], "width": 320, "height": 240}
)
DIRT = TreatmentStep.make("dirt")


@pytest.fixture(scope="module")
def dirty() -> MemorySource:
    clean = moving_frames(10, 320, 240)
    damage = DirtDamage(seed=8, blobs_per_frame=60, hair_share=0.0, largest_px=14)
    return MemorySource([damage.add(clean.frame(n))[0] for n in range(10)], "dirty")


def test_maps_compose_as_those_of_scikit_image() -> None:
    first = AffineTransform(scale=(1.5, 0.75), rotation=0.2, translation=(30, -12))
    second = AffineTransform(scale=0.5, shear=0.1, translation=(-7, 40))
    ours = Geometry(first.params[:2]).then(Geometry(second.params[:2]))
    points = np.array([(0.0, 0.0), (100.0, 30.0), (17.0, 220.0)])
    np.testing.assert_allclose(points @ ours.back[:, :2].T + ours.back[:, 2], first(second(points)), atol=1e-9)
    np.testing.assert_allclose(ours.then(Geometry(ours.on)).back, np.eye(2, 3), atol=1e-9)


def test_places_go_there_and_back() -> None:
    doubled = Geometry(np.array([[0.5, 0.0, -0.25], [0.0, 0.5, -0.25]]))  # twice as large, edges on edges
    assert doubled.area_on((10, 20, 8, 4)) == (20, 40, 16, 8)
    assert doubled.area_back((20, 40, 16, 8)) == (10, 20, 8, 4)
    assert doubled.area_back((21, 41, 1, 1)) == (10, 20, 1, 1)
    mask = np.zeros((60, 80), np.bool_)
    mask[20:24, 10:18] = True
    larger = doubled.mask_on(mask, (120, 160))
    assert larger[40:48, 20:36].all()
    assert larger.sum() <= 18 * 10
    assert (doubled.mask_back(larger, (60, 80)) >= mask).all()


def test_side_fill_says_where_the_picture_lies(dirty: MemorySource) -> None:
    chain = Chain(dirty, Treatment(steps=(TreatmentStep.make("sidefill"),)))
    geometry = chain.geometry_at(1, 0)
    assert geometry is not None
    made, source = chain.result.frame(0).rounded(), dirty.frame(0)
    x, y, width, height = geometry.area_on((40, 30, 50, 60))
    np.testing.assert_array_equal(
        made.planes[0][y : y + height, x : x + width], source.planes[0][30:90, 40:90]
    )  # fmt: skip


def test_regions_and_verdicts_behind_a_shape_step_are_about_the_reels_pixels(dirty: MemorySource) -> None:
    plain = Chain(dirty, Treatment(steps=(ZOOM, DIRT)))
    seen = plain.evidence_at(2, FRAME)
    own = Chain(dirty, Treatment(steps=(DIRT,))).evidence_at(1, FRAME)
    assert seen is not None
    assert own is not None
    assert seen.mask.shape == (240, 320)
    shown = [blob for blob in own.blobs if 60 < blob.area[0] < 190 and 70 < blob.area[1] < 160 and blob.pixels > 25]
    assert len(shown) >= 3
    for blob in shown:
        x, y, width, height = blob.area
        assert seen.mask[y : y + height, x : x + width].mean() > 0.4, "the same speck, where it lies on the reel"
    x, y, width, height = shown[0].area
    region = Region(use="protect", x=x - 4, y=y - 4, width=width + 8, height=height + 8)
    protected = Chain(dirty, Treatment(steps=(ZOOM, TreatmentStep.make("dirt", regions=(region,))))).evidence_at(
        2, FRAME
    )
    left = Chain(
        dirty, Treatment(steps=(ZOOM, DIRT)), verdicts=Verdicts([Verdict("dirt", FRAME, shown[0].area, "leave")])
    ).evidence_at(2, FRAME)
    for told in (protected, left):
        assert told is not None
        assert not told.mask[y : y + height, x : x + width].any()
        assert told.mask.sum() > 0.5 * seen.mask.sum()


def test_the_record_is_in_the_reels_pixels(dirty: MemorySource, tmp_path: Path) -> None:
    reel = open_reel(write_video(tmp_path / "in.mkv", [dirty.frame(n) for n in range(10)]))
    out, evidence, ledger = tmp_path / "out.mkv", tmp_path / "evidence", tmp_path / "ledger.json"
    with closing(reel):
        plan = Plan.whole(Treatment(steps=(ZOOM, DIRT)))
        run(reel, plan, RunRequest(out, range(10), evidence, ledger), Progress())
    rows = [row for row in json.loads(ledger.read_text())["rows"] if row["frame"] == FRAME]
    mask = read_evidence(evidence, FRAME, (240, 320))
    assert len(rows) >= 5
    for row in rows:
        assert mask[row["y"] : row["y"] + row["height"], row["x"] : row["x"] + row["width"]].any()
    assert not mask[:50].any(), "nothing lies where the picture was cut off"
