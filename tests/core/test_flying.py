"""What flies is no dirt: three suspects on a line."""

from __future__ import annotations

import numpy as np
import pytest

from grevin.core.steps.dirt.features import BlobFeatures
from grevin.core.steps.dirt.flying import flying, table_of


def features(*rows: tuple[float, float, float, float]) -> BlobFeatures:
    """Blobs as (x, y, pixels, signed contrast) of their middles."""
    data = np.array(rows, np.float64).reshape(-1, 4)
    side = np.sqrt(data[:, 2]).astype(int)
    boxes = np.stack([data[:, 0] - side / 2, data[:, 1] - side / 2, side, side], axis=1)
    nothing = np.zeros(len(data))
    return BlobFeatures(
        data[:, 2], boxes, np.abs(data[:, 3]), np.sign(data[:, 3]), nothing, nothing, nothing, nothing
    )  # fmt: skip


HERE = (100.0, 80.0, 36.0, -40.0)


@pytest.mark.parametrize(
    ("before", "after", "flies"),
    [
        ((60, 70, 36, -40), (140, 90, 40, -36), True),  # straight on
        ((60, 70, 36, -40), (140, 130, 36, -40), False),  # off the line
        ((60, 70, 36, 40), (140, 90, 36, 40), False),  # brighter, not darker
        ((60, 70, 150, -40), (140, 90, 150, -40), False),  # another size
        ((60, 70, 36, -90), (140, 90, 36, -90), False),  # another contrast
        ((0, 70, 36, -40), (200, 90, 36, -40), False),  # too far
        ((100, 80, 36, -40), (100, 80, 36, -40), False),  # it does not move at all
    ],
)
def test_on_a_line_with_two_like_it(before, after, flies: bool) -> None:
    assert flying(features(HERE), table_of(features(before)), table_of(features(after)), True).tolist() == [flies]


def test_at_the_end_of_a_shot_both_lie_on_one_side() -> None:
    near, far = features((120, 85, 36, -40)), features((140, 90, 36, -40))
    assert flying(features(HERE), table_of(near), table_of(far), False).tolist() == [True]
    assert flying(features(HERE), table_of(near), table_of(far), True).tolist() == [False]


def test_one_drop_among_many_goes_with_them() -> None:
    drops = [(40.0 + 30 * n, 60.0, 36.0, 30.0) for n in range(4)]
    before = features(*((x - 10, y - 30, p, c) for x, y, p, c in drops[:3]))
    after = features(*((x + 10, y + 30, p, c) for x, y, p, c in drops[:3]))
    alone = (400.0, 60.0, 36.0, 30.0)
    found = flying(features(*drops, alone), table_of(before), table_of(after), True)
    assert found.tolist() == [True, True, True, True, False]


def test_nothing_to_compare_with() -> None:
    empty = table_of(features())
    assert flying(features(), empty, empty, True).shape == (0,)
    assert flying(features(HERE), empty, table_of(features(HERE)), True).tolist() == [False]
