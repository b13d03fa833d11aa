"""Windows of a texture that begins anew, against numbers taken one by one."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from verispect.rehearse.windows import Windows

_ROOMS = Windows()


@given(
    st.tuples(st.integers(1, 7), st.integers(1, 7)),
    st.tuples(st.integers(-20, 20), st.integers(-20, 20)),
    st.tuples(st.integers(1, 30), st.integers(1, 30)),
)
def test_a_window_holds_what_lies_there_however_often_the_texture_begins_anew(shape, low, size) -> None:
    texture = np.arange(shape[0] * shape[1] * 4, dtype=np.float32).reshape(*shape, 4)
    first, last = np.array(low), np.array(low) + np.array(size)
    found = _ROOMS.cut(texture, first, last, 0)
    rows, columns = np.arange(first[1], last[1]) % shape[0], np.arange(first[0], last[0]) % shape[1]
    np.testing.assert_array_equal(found, texture[rows[:, None], columns[None]])


def test_two_rooms_do_not_disturb_each_other() -> None:
    one, other = np.zeros((2, 2, 4), np.float32), np.ones((2, 2, 4), np.float32)
    first = _ROOMS.cut(one, np.array([-1, -1]), np.array([4, 4]), 0)
    second = _ROOMS.cut(other, np.array([-1, -1]), np.array([4, 4]), 1)
    assert not first.any()
    assert second.all()
