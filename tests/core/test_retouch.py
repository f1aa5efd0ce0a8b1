"""Retouching by hand: strokes are filled from where they are to be, levels and grain fit, nothing else is touched."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from grevin.core.cache import ByteCache
from grevin.core.errors import SettingsError, UnreadableFrameError
from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.retouch import filling
from grevin.core.steps.retouch.from_around import built_from_around
from grevin.core.steps.retouch.in_front import in_front
from grevin.core.steps.strokes import StrokeFill
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep, treatment_from_recipe
from grevin.core.treatment.regions import Region, RegionKey
from grevin.core.treatment.strokes import Stroke
from grevin.core.treatment.verdicts import Verdict, Verdicts
from tests.core.drawn import frame_of, frames_of, pan, texture

MIDDLE, LENGTH = 4, 9
BLOT = (140, 100, 26, 20)  # x, y, width, height


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return [frame_of(luma, number) for number, luma in enumerate(pan(LENGTH, noise=1.0))]


def blotted(frames: list[Frame], number: int = MIDDLE, level: int = 230) -> list[Frame]:
    x, y, width, height = BLOT
    luma = frames[number].planes[0].copy()
    luma[y : y + height, x : x + width] = level
    bad = replace(frames[number], planes=(luma, *frames[number].planes[1:]))
    return [*frames[:number], bad, *frames[number + 1 :]]


def over_blot(on: int = MIDDLE, room: int = 2, **fill: object) -> Stroke:
    x, y, width, height = BLOT
    where = Region(
        use="only", x=x - room, y=y - room, width=width + 2 * room, height=height + 2 * room, first=on, last=on
    )
    return Stroke(where=where, fill=StrokeFill(**fill))


def chain_of(frames: list[Frame], *strokes: Stroke, verdicts: Verdicts | None = None, **settings: object) -> Chain:
    return over(MemorySource(frames, "retouched"), *strokes, verdicts=verdicts, **settings)


def over(
    source: MemorySource, *strokes: Stroke, verdicts: Verdicts | None = None, cache: ByteCache | None = None,
    **settings: object,
) -> Chain:  # fmt: skip
    step = TreatmentStep.make("retouch", dict(settings), strokes=strokes)
    return Chain(source, Treatment(steps=(step,)), cache, verdicts=verdicts)


def inside(made: Frame, right: Frame, mask: np.ndarray) -> float:
    return psnr(*squared_error(to_rgb(made) * 255, to_rgb(right) * 255, mask))


@pytest.mark.parametrize(("way", "least"), [("both", 40), ("before", 38), ("after", 38), ("around", 16)])
def test_a_blot_is_filled_and_nothing_else_changes(clean: list[Frame], way: str, least: float) -> None:
    bad = blotted(clean)
    chain = chain_of(bad, over_blot(way=way))
    made, evidence = chain.result.frame(MIDDLE), chain.evidence_at(1, MIDDLE)
    assert inside(made, clean[MIDDLE], evidence.mask) > least
    assert np.array_equal(made.planes[0][~evidence.mask], bad[MIDDLE].planes[0][~evidence.mask])
    assert evidence.mask.sum() == 30 * 24
    assert "by hand" in evidence.blobs[0].words
    for number in range(LENGTH):
        assert number == MIDDLE or chain.result.frame(number) is chain.source.frame(number)


def test_what_is_built_from_around_goes_on_as_lines_do() -> None:
    stripes = np.tile(115 + 60 * np.sign(np.sin(np.arange(320) / 4.0)), (240, 1))
    frames = [frame_of(stripes, n) for n in range(3)]
    chain = chain_of(blotted(frames, 1), over_blot(1, way="around"), grain=False)
    mask = chain.evidence_at(1, 1).mask
    assert inside(chain.result.frame(1), frames[1], mask) > 25


def test_a_chosen_frame_far_away_is_laid_on(clean: list[Frame]) -> None:
    bad = blotted(clean)
    chain = chain_of(bad, over_blot(way="frame", frame=MIDDLE + 3))
    mask = chain.evidence_at(1, MIDDLE).mask
    assert inside(chain.result.frame(MIDDLE), clean[MIDDLE], mask) > 38
    assert "a chosen frame (7)" in chain.explain(1, MIDDLE, chain.evidence_at(1, MIDDLE).blobs[0].area)


def test_another_place_is_moved_turned_and_sized() -> None:
    rng = np.random.default_rng(4)
    patch = rng.integers(40, 200, (24, 30)).astype(np.float64)
    luma = np.full((240, 320), 115.0)
    luma[50:74, 60:90] = patch
    frames = [frame_of(luma, n) for n in range(3)]
    where = Region(use="only", x=150, y=120, width=30, height=24, first=1, last=1)
    plain = chain_of(frames, Stroke(where=where, fill=StrokeFill(way="place", right=-90, down=-70)),
                     levels="as they are", grain=False)  # fmt: skip
    made = plain.result.frame(1).planes[0]
    assert np.abs(made[120:144, 150:180].astype(int) - frames[1].planes[0][50:74, 60:90]).max() <= 1
    square = Region(use="only", x=150, y=120, width=24, height=24, first=1, last=1)
    turned = chain_of(
        frames, Stroke(where=square, fill=StrokeFill(way="place", right=-87, down=-70, turn_degrees=90)),
        levels="as they are", grain=False,
    )  # fmt: skip
    right = np.rot90(frames[1].planes[0][50:74, 63:87], -1)  # clockwise
    assert np.abs(turned.result.frame(1).planes[0][120:144, 150:174].astype(int) - right).mean() < 1.5


def test_levels_are_brought_to_the_rim(clean: list[Frame]) -> None:
    darker = [replace(f, planes=((f.planes[0] * 0.8).astype(np.uint8), *f.planes[1:])) if f.number != MIDDLE else f
              for f in clean]  # fmt: skip
    bad = blotted(darker)
    mask = chain_of(bad, over_blot()).evidence_at(1, MIDDLE).mask
    quality = {how: inside(chain_of(bad, over_blot(), levels=how).result.frame(MIDDLE), clean[MIDDLE], mask)
               for how in ("rim", "mean", "as they are")}  # fmt: skip
    assert quality["rim"] > quality["as they are"] + 10
    assert quality["mean"] > quality["as they are"] + 5


def test_a_smooth_fill_gets_the_grain_round_it() -> None:
    grainy = [GrainDamage(9, 4.0).add(frame_of(texture(2, 30.0), n))[0] for n in range(3)]
    stroke = over_blot(1, way="blur", blur_px=12)
    core = np.zeros((240, 320), bool)
    x, y, width, height = BLOT
    core[y + 4 : y + height - 4, x + 4 : x + width - 4] = True

    def spread(grain: bool) -> float:
        made = chain_of(grainy, stroke, grain=grain).result.frame(1).planes[0].astype(float)
        return float(np.std(np.diff(made, axis=1)[core[:, 1:]]))

    beside = float(np.std(np.diff(grainy[1].planes[0].astype(float), axis=1)[~core[:, 1:]]))
    assert spread(False) < 0.2 * beside
    assert spread(True) == pytest.approx(beside, rel=0.25)


def test_strength_rises_from_nothing_and_a_soft_disc_has_a_soft_edge(clean: list[Frame]) -> None:
    bad = blotted(clean)
    nothing = chain_of(bad, over_blot(), strength_pct=0)
    assert nothing.result.frame(MIDDLE) is nothing.source.frame(MIDDLE)
    errors = [
        np.abs(chain_of(bad, over_blot(strength=share)).result.frame(MIDDLE).planes[0].astype(float)
               - bad[MIDDLE].planes[0]).sum()
        for share in (0.25, 0.5, 1.0)
    ]  # fmt: skip
    assert errors[0] == pytest.approx(errors[2] / 4, rel=0.1)
    assert errors[1] == pytest.approx(errors[2] / 2, rel=0.1)
    disc = Region(use="only", shape="ellipse", x=100, y=60, width=60, height=60, feather_px=30, first=4, last=4)
    made = chain_of(bad, Stroke(where=disc, fill=StrokeFill(way="blur", blur_px=8)), grain=False).result.frame(4)
    apart = np.abs(made.planes[0].astype(float) - bad[4].planes[0])
    assert apart[85:95, 125:135].mean() > 4 * apart[88:92, 101:104].mean()


def test_strokes_follow_the_picture_and_their_key_frames(clean: list[Frame]) -> None:
    x, y, width, height = BLOT
    box = Region(use="only", x=x, y=y, width=width, height=height, first=2, last=6, follow=True)
    chain = chain_of(clean, Stroke(where=box))
    lefts = [chain.evidence_at(1, number).blobs[0].area[0] for number in range(2, 7)]
    assert lefts == pytest.approx([x - 3 * step for step in range(5)], abs=1.1), "the picture goes 3 px a frame"
    keys = (RegionKey(frame=2, x=20, y=30, width=10, height=10), RegionKey(frame=6, x=60, y=30, width=10, height=10))
    moved = chain_of(clean, Stroke(where=Region(use="only", keys=keys, first=2, last=6)))
    assert [moved.evidence_at(1, n).blobs[0].area[0] for n in (2, 4, 6)] == [20, 40, 60]


def test_a_patch_leaves_in_front_what_crosses_it() -> None:
    room = texture(5, 6.0)
    rng = np.random.default_rng(1)
    frames, clear, person = [], [], []
    for number in range(9):
        luma = room.copy()
        luma[60:160, 90:230] *= 1 + 0.25 * np.sin(1.7 * number + np.linspace(0, 2, 100))[:, None]  # a screen
        crossing = np.zeros((240, 320), bool)
        crossing[90:240, 40 + 22 * number : 70 + 22 * number] = True
        clear.append(luma + rng.normal(0, 1, luma.shape))
        frames.append(frame_of(np.where(crossing, 60.0 + 20 * (np.arange(320) % 7 < 3), clear[-1]), number))
        person.append(crossing)
    screen = Region(use="only", x=88, y=58, width=144, height=104, rounding_px=3, feather_px=5)
    chain = chain_of(frames, Stroke(where=screen, fill=StrokeFill(way="plate", frame=0)))
    middle = np.zeros((240, 320), bool)
    middle[66:154, 96:224] = True
    steady = [chain.result.frame(number).planes[0].astype(float) for number in range(9)]
    plate = frames[0].planes[0].astype(float)
    for number in (3, 5, 7):
        core = person[number] & middle
        beside = middle & ~np.roll(person[number], 12, 1) & ~np.roll(person[number], -12, 1) & ~person[number]
        kept = np.abs(steady[number] - frames[number].planes[0])[core]
        assert float((kept <= 1).mean()) > 0.97, "who crosses stays in front"
        still = np.abs(steady[number] - plate)[beside]
        assert np.median(still) == 0 and still.mean() < 1, "the screen stands still"  # noqa: PT018
        assert np.abs(frames[number].planes[0] - plate)[beside].mean() > 5
    nobody = in_front(to_rgb(frame_of(clear[3])), to_rgb(frame_of(clear[0])), middle)
    assert nobody.max() == 0, "flicker alone is nobody"


class Torn(MemorySource):
    """A source with a frame that cannot be read."""

    def frame(self, number: int) -> Frame:
        if number == MIDDLE - 1:
            raise UnreadableFrameError("torn", number, "it is torn")
        return super().frame(number)


def test_frames_that_are_not_there_are_said_and_lose_nothing(clean: list[Frame]) -> None:
    bad = blotted(clean)
    step = TreatmentStep.make("retouch", strokes=(over_blot(way="before"),))
    chain = Chain(Torn(bad, "torn"), Treatment(steps=(step,)), cuts=(0,))
    evidence = chain.evidence_at(1, MIDDLE)
    assert "stroke 1: filled from the other side" in evidence.words
    assert inside(chain.result.frame(MIDDLE), clean[MIDDLE], evidence.mask) > 38
    named = chain_of(bad, over_blot(way="frame", frame=500))
    assert "frame 500 is not there or cannot be read, built from around" in named.evidence_at(1, MIDDLE).words
    assert inside(named.result.frame(MIDDLE), clean[MIDDLE], evidence.mask) > 16
    patch = chain_of(bad, over_blot(way="plate", frame=500))
    assert "left as it is" in patch.evidence_at(1, MIDDLE).words
    assert patch.result.frame(MIDDLE) is patch.source.frame(MIDDLE)
    alone = chain_of(blotted(clean[:1], 0), over_blot(0))
    assert "built from around" in alone.evidence_at(1, 0).words
    assert inside(alone.result.frame(0), clean[0], alone.evidence_at(1, 0).mask) > 16


@pytest.mark.parametrize("way", ["both", "around", "blur", "place", "plate"])
def test_strokes_off_the_picture_of_one_pixel_and_over_all_of_it(clean: list[Frame], way: str) -> None:
    off = Region(use="only", x=900, y=900, width=20, height=20)
    chain = chain_of(clean, Stroke(where=off, fill=StrokeFill(way=way)))
    assert chain.result.frame(MIDDLE) is chain.source.frame(MIDDLE)
    dot = Region(use="only", shape="brush", points=((0.0, 0.0),), width_px=1)
    assert 1 <= chain_of(clean, Stroke(where=dot, fill=StrokeFill(way=way))).evidence_at(1, 3).mask.sum() <= 16
    whole = Region(use="only", x=-5, y=-5, width=400, height=300, first=MIDDLE, last=MIDDLE)
    made = chain_of(clean, Stroke(where=whole, fill=StrokeFill(way=way))).result.frame(MIDDLE)
    assert made.planes[0].shape == (240, 320)


def test_a_word_leaves_a_stroke_alone_and_points_at_one_more_place(clean: list[Frame]) -> None:
    bad = blotted(clean)
    x, y, width, height = BLOT
    left = chain_of(bad, over_blot(), verdicts=Verdicts([Verdict("retouch", MIDDLE, BLOT, "leave")]))
    assert left.result.frame(MIDDLE) is left.source.frame(MIDDLE)
    area = (x - 2, y - 2, width + 4, height + 4)
    more = chain_of(bad, verdicts=Verdicts([Verdict("retouch", MIDDLE, area, "mend")]))
    assert inside(more.result.frame(MIDDLE), clean[MIDDLE], more.evidence_at(1, MIDDLE).mask) > 40


def test_regions_that_protect_keep_strokes_away(clean: list[Frame]) -> None:
    bad = blotted(clean)
    half = Region(use="protect", x=0, y=0, width=BLOT[0] + 10, height=240)
    step = TreatmentStep.make("retouch", regions=(half,), strokes=(over_blot(),))
    chain = Chain(MemorySource(bad, "kept"), Treatment(steps=(step,)))
    made = chain.result.frame(MIDDLE).planes[0]
    assert np.array_equal(made[:, : BLOT[0] + 10], bad[MIDDLE].planes[0][:, : BLOT[0] + 10])
    assert not np.array_equal(made, bad[MIDDLE].planes[0])


def test_a_stroke_costs_its_own_frame_alone_and_others_are_kept(clean: list[Frame]) -> None:
    source = MemorySource(clean, "shared")
    one, more = over_blot(), over_blot(6, way="blur")
    first, second = over(source, one), over(source, one, more)
    assert first.result.key(MIDDLE) == second.result.key(MIDDLE)
    assert first.result.key(6) != second.result.key(6)
    assert first.result.name(2) == second.result.name(2) == first.source.name(2)
    plate = over_blot(2, way="plate", frame=7)
    dirt_said = Verdicts([Verdict("dirt", 7, (5, 5, 9, 9), "mend")])
    steps = Treatment(steps=(TreatmentStep.make("dirt"), TreatmentStep.make("retouch", strokes=(plate,))))
    keys = [Chain(source, steps, verdicts=said).result.key(2) for said in (None, dirt_said)]
    assert keys[0] != keys[1], "the frame that a stroke names has a say"


def test_what_is_taken_from_a_named_frame_is_never_that_of_before() -> None:
    """A word on a frame far away changes what a stroke takes from it, over the same cache."""
    source = MemorySource(frames_of(pan(24, speed=0.0, noise=1.0)), "far")
    x, y, *_ = BLOT
    speck = (x + 4, y + 4, 12, 10)
    said = Verdicts([Verdict("dirt", 20, speck, "mend")])
    steps = Treatment(
        steps=(
            TreatmentStep.make("dirt"),
            TreatmentStep.make("retouch", strokes=(over_blot(2, way="frame", frame=20),)),
        )
    )
    plain = Chain(source, steps)
    before = plain.result.frame(2)
    after = Chain(source, steps, plain.cache, verdicts=said).result.frame(2)
    alone = Chain(source, steps, verdicts=said).result.frame(2)
    assert not np.array_equal(before.planes[0], after.planes[0])
    assert np.array_equal(after.planes[0], alone.planes[0])


def test_strokes_are_about_the_reels_own_frames_and_pixels(clean: list[Frame]) -> None:
    bad = blotted(clean)
    rebuild = TreatmentStep.make("rebuild", {"put_in_after": (1,), "put_in": 3})
    retouch = TreatmentStep.make("retouch", strokes=(over_blot(),))
    late = Chain(MemorySource(bad, "later"), Treatment(steps=(rebuild, retouch)))
    assert len(late.result) == LENGTH + 3
    assert [n for n in range(len(late.result)) if late.steps[1].evidence(n).mask.any()] == [MIDDLE + 3]
    part = TreatmentStep.make("reframe", {"width": 200, "height": 160, "keys": [{"frame": 0, "x": 0.5, "y": 0.5}]})
    cut = Chain(MemorySource(bad, "part"), Treatment(steps=(part, retouch)))
    shown = cut.steps[1].evidence(MIDDLE)
    right = Chain(MemorySource(clean, "right"), Treatment(steps=(part,))).result.frame(MIDDLE)
    assert shown.mask.any()
    assert inside(cut.result.frame(MIDDLE), right, shown.mask) > 34
    gone = TreatmentStep.make("repeats", {})
    there = Chain(MemorySource(bad, "same"), Treatment(steps=(gone, retouch)))
    assert there.steps[1].evidence(MIDDLE).mask.any()


def test_each_field_is_filled_from_its_own(clean: list[Frame]) -> None:
    fields = [replace(frame, format=replace(frame.format, field_order="top_first")) for frame in blotted(clean)]
    chain = chain_of(fields, over_blot())
    evidence = chain.evidence_at(1, MIDDLE)
    right = replace(clean[MIDDLE], format=fields[0].format)
    assert inside(chain.result.frame(MIDDLE), right, evidence.mask) > 34
    assert len(evidence.blobs) == 2


def test_strokes_are_kept_by_recipes_and_what_is_wrong_is_refused(clean: list[Frame]) -> None:
    way = ((10.0, 20.0), (30.5, 40.0))
    brush = Stroke(where=Region(use="only", shape="brush", points=way, width_px=7, first=3, last=3),
                   fill=StrokeFill(way="place", right=12.5, down=-3, scale=1.2))  # fmt: skip
    treatment = Treatment(steps=(TreatmentStep.make("retouch", strokes=(brush, over_blot())),))
    data = json.loads(json.dumps(treatment.recipe()))
    assert treatment_from_recipe(data, "strokes") == treatment
    for wrong in ({"fill": {"way": "magic"}}, {"where": {"use": "protect", "x": 1, "y": 1, "width": 2, "height": 2}}):
        broken = json.loads(json.dumps(data))
        broken["steps"][0]["strokes"][0].update(wrong)
        with pytest.raises(SettingsError, match="Step 1 of strokes"):
            treatment_from_recipe(broken, "strokes")
    with pytest.raises(SettingsError, match="fills no strokes"):
        TreatmentStep.make("dirt", strokes=(brush,))


def test_made_twice_in_any_order_it_is_the_same(clean: list[Frame]) -> None:
    bad = blotted(clean)
    near, far = Region(use="only", x=120, y=90, width=30, height=20), Region(use="only", x=20, y=20, width=9, height=9)
    strokes = [over_blot(), Stroke(where=near), Stroke(where=far, fill=StrokeFill(way="around"))]
    source = MemorySource(bad, "twice")
    once = over(source, *strokes).result.frame(MIDDLE)
    warm = over(source, *strokes[:1])
    warm.result.frame(MIDDLE)
    grown = over(source, *strokes, cache=warm.cache).result.frame(MIDDLE)
    assert all(np.array_equal(a, b) for a, b in zip(once.planes, grown.planes, strict=True))


@pytest.mark.parametrize("many", [1, 10])
def test_what_was_built_from_around_is_not_built_anew_for_another_stroke(
    clean: list[Frame], monkeypatch: pytest.MonkeyPatch, many: int
) -> None:
    built: list[object] = []

    def counted(*given: object) -> object:
        built.append(given[1])
        return built_from_around(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(filling, "built_from_around", counted)
    source = MemorySource(clean, f"around {many}")
    strokes = [drawn_at(20 + 24 * n, 20) for n in range(many)]
    first = over(source, *strokes)
    before = first.result.frame(MIDDLE)
    assert len(built) == many
    more = over(source, *strokes, drawn_at(60, 150), cache=first.cache).result.frame(MIDDLE)
    assert len(built) == many + 1, "the one that was added, and no other"
    assert np.array_equal(more.planes[0][:100], before.planes[0][:100])


def test_another_stroke_close_by_has_no_say_in_what_is_built_from_around(clean: list[Frame]) -> None:
    """Two blots beside each other: neither is built of what the other hides."""
    bad = blotted(clean)
    luma = bad[MIDDLE].planes[0].copy()
    x, y, width, height = BLOT
    luma[y : y + height, x + width + 6 : x + width + 26] = 240
    bad[MIDDLE] = replace(bad[MIDDLE], planes=(luma, *bad[MIDDLE].planes[1:]))
    strokes = (over_blot(way="around"), drawn_at(x + width + 4, y - 2, 24, height + 4))
    one, other = (over(MemorySource(bad, "close"), *order).result.frame(MIDDLE) for order in (strokes, strokes[::-1]))
    assert np.abs(one.planes[0].astype(int) - other.planes[0]).max() <= 1, "whichever was drawn first"


def drawn_at(x: int, y: int, width: int = 12, height: int = 12) -> Stroke:
    where = Region(use="only", x=x, y=y, width=width, height=height, first=MIDDLE, last=MIDDLE)
    return Stroke(where=where, fill=StrokeFill(way="around"))


def test_what_was_kept_is_what_would_be_made_now(clean: list[Frame]) -> None:
    """Another stroke, wherever it lies, changes what can be borrowed for the first one: nothing stale is shown."""
    source = MemorySource(clean, "stale")
    own = drawn_at(150, 110)
    first = over(source, own)
    first.result.frame(MIDDLE)
    for away in (20, 40, 60):
        wide = drawn_at(150 + away, 30, 40, 170)
        kept, fresh = (over(source, own, wide, cache=cache).result.frame(MIDDLE) for cache in (first.cache, None))
        np.testing.assert_array_equal(kept.planes[0], fresh.planes[0], err_msg=f"{away} px away")
