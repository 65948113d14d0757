"""The search layer by layer: which rows it keeps."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.core.planning.search.beam import smallest


@given(st.lists(st.floats(allow_nan=False), min_size=1, max_size=60), st.data())
def test_the_row_to_cut_at_is_where_sorting_would_put_it(ranks, data) -> None:
    place = data.draw(st.integers(0, len(ranks) - 1))
    values = np.array(ranks)
    assert smallest(values, place) == sorted(ranks)[place]
    assert sorted(values) == sorted(ranks)  # none is lost
