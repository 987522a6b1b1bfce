"""Arrays that kernels are handed by address are the arrays that were given."""

from __future__ import annotations

from typing import Any, NamedTuple
from unittest import TestCase

import numpy as np

from trasloco.rays.by_address import ByAddress
from trasloco.rays.compiled import device, kernel, stays_whole


class Few(NamedTuple):
    singles: Any
    bytes: Any
    spread: Any


def few() -> Few:
    rng = np.random.default_rng(4)
    whole = rng.normal(size=(6, 8))
    return Few(rng.normal(size=(3, 4)).astype(np.float32), np.arange(5, dtype=np.uint8), whole[::2, 1::3])


@device
def _one(a: Any, i: int, j: int) -> float:
    return a.singles[i, j] + a.spread[i, j % a.spread.shape[1]] * a.bytes[j]


@kernel
def _apart(a: Any, i: int, j: int) -> float:
    """The same, not inlined."""
    stays_whole()
    return _one(a, i, j)


@kernel
def _sums(a: Any, out: Any) -> None:
    for i in range(a.singles.shape[0]):
        for j in range(a.singles.shape[1]):
            out[0] += _one(a, i, j)
            out[1] += _apart(a, i, j)


@kernel
def _writes(a: Any) -> None:
    a.singles[0, 0] = 1.0


class Held(TestCase):
    def test_a_kernel_reads_what_was_given(self) -> None:
        given = few()
        out = np.zeros(2)
        _sums(ByAddress(given), out)
        columns = np.arange(4)
        meant = given.singles + given.spread[:, columns % given.spread.shape[1]] * given.bytes[columns]
        np.testing.assert_allclose(out, meant.sum(dtype=np.float64), rtol=1e-6)

    def test_arrays_live_as_long_as_they_are_held(self) -> None:
        held = ByAddress(few())
        _over_what_is_free = [np.full((3, 4), np.nan, np.float32) for _ in range(200)]
        first, second = np.zeros(2), np.zeros(2)
        _sums(held, first)
        _sums(ByAddress(few()), second)
        np.testing.assert_array_equal(first, second)

    def test_what_may_be_written_and_what_may_not_is_one_kind(self) -> None:
        """So that a kernel is compiled once for both."""
        given = few()
        kind = ByAddress(given).kind
        given.singles.flags.writeable = False
        self.assertEqual(ByAddress(given).kind, kind)
        self.assertNotEqual(ByAddress(given._replace(singles=given.singles.astype(float))).kind, kind)

    def test_none_is_written(self) -> None:
        with self.assertRaisesRegex(Exception, "Cannot modify readonly array"):
            _writes(ByAddress(few()))
