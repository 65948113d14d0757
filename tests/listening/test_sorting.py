"""The small sorts against numpy's."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.core.listening.dsp import statistics as arrays

VALUES = st.lists(st.sampled_from([-2.5, 0.0, 1.0, 3.0, np.inf]) | st.floats(-1e6, 1e6), max_size=30)


@given(VALUES)
def test_an_order_is_that_of_a_stable_sort(values) -> None:
    x = np.array(values, float)
    assert np.array_equal(arrays.order(x), np.argsort(x, kind="stable"))
    assert np.array_equal(arrays.rising(x), np.sort(x))


@given(VALUES.filter(len))
def test_a_median_is_numpys_and_changes_nothing(values) -> None:
    x = np.array(values)
    middle = arrays.median(x)
    assert middle == np.median(x) and np.array_equal(x, np.array(values))
