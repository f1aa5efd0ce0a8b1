"""Colour against published values: BT.601-7, BT.709-6, BT.2020-2 as computed by colour-science at test time."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from grevin.core.picture.colour import LUMA_COEFFICIENTS, code_scale, rgb_from_ycc_matrix, to_rgb
from grevin.core.picture.display import hatch_over, to_screen
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from tests.conftest import FORMATS, name_of, random_frame


@pytest.mark.reference
@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize(
    ("matrix", "name"), [("bt601", "ITU-R BT.601"), ("bt709", "ITU-R BT.709"), ("bt2020", "ITU-R BT.2020")]
)
@pytest.mark.parametrize("bits", [8, 10])
def test_ycc_to_rgb_is_the_standards(matrix: str, name: str, bits: int) -> None:
    import colour

    weights = colour.WEIGHTS_YCBCR[name]
    assert LUMA_COEFFICIENTS[matrix] == pytest.approx(tuple(weights), abs=1e-4)
    rgb = np.random.default_rng(1).random((64, 3))
    codes = colour.RGB_to_YCbCr(rgb, K=weights, out_bits=bits, out_legal=True, out_int=True).astype(int)
    fmt = PictureFormat(64, 1, "yuv", bits, chroma="4:4:4", matrix=matrix)
    frame = Frame(0, fmt, tuple(codes[None, :, index].astype(fmt.dtype) for index in range(3)))
    expected = colour.YCbCr_to_RGB(codes, K=weights, in_bits=bits, in_legal=True, in_int=True, out_legal=False)
    np.testing.assert_allclose(to_rgb(frame)[0], expected, atol=2e-4)


def test_ranges_are_those_of_bt601_item_3_5() -> None:
    assert code_scale(PictureFormat(2, 2, "yuv", 8)) == (219.0, 16.0, 224.0, 128.0)
    assert code_scale(PictureFormat(2, 2, "yuv", 10)) == (876.0, 64.0, 896.0, 512.0)
    assert code_scale(PictureFormat(2, 2, "yuv", 8, full_range=True)) == (255.0, 0.0, 255.0, 128.0)


def test_white_black_and_grey_have_no_colour() -> None:
    for matrix in LUMA_COEFFICIENTS:
        np.testing.assert_allclose(rgb_from_ycc_matrix(matrix) @ [1.0, 0.0, 0.0], [1.0, 1.0, 1.0])


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_the_screen_shows_the_same_colours(fmt: PictureFormat) -> None:
    frame = random_frame(fmt)
    screen = to_screen(frame)
    wanted = np.clip(np.rint(to_rgb(frame) * 255), 0, 255)[..., ::-1]
    assert screen.shape == (fmt.height, fmt.width, 4)
    assert (screen[..., 3] == 255).all()
    assert np.abs(screen[..., :3].astype(int) - wanted).max() <= (2 if fmt.bit_depth == 8 else 3)


@pytest.mark.reference
def test_luma_of_rgb_is_near_opencvs_grey() -> None:
    """OpenCV weighs by BT.601, we by BT.709: on grey pictures both must agree exactly."""
    fmt = PictureFormat(16, 16, "rgb", 8, full_range=True)
    plane = np.arange(256, dtype=np.uint8).reshape(16, 16)
    frame = Frame(0, fmt, (plane, plane.copy(), plane.copy()))
    reference = cv2.cvtColor(cv2.merge(list(frame.planes)), cv2.COLOR_RGB2GRAY)
    assert np.abs(frame.luma8().astype(int) - reference).max() <= 1


def test_the_hatch_lies_inside_the_mask_only() -> None:
    mask = np.zeros((40, 60), np.bool_)
    mask[10:30, 20:50] = True
    drawn = hatch_over(mask, (190, 120, 235))[..., 3] > 0
    assert drawn.any()
    assert not drawn[~mask].any()
    assert drawn[10, 20:50].all()
