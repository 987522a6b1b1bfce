"""Fits and budgets as small as tests need them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from unittest import mock

from trasloco.render.picture import Quality
from trasloco.results import budget, fitting


@contextmanager
def small_fits() -> Iterator[None]:
    """Pictures of fits small, and no looks at the sample beyond those that are needed."""
    with (
        mock.patch.object(fitting, "_QUICK", (40, 2)),
        mock.patch.object(fitting, "_FINE", (48, 4)),
        mock.patch.object(fitting, "_LOOKS", 0),
    ):
        yield


@contextmanager
def small_budgets() -> Iterator[None]:
    """Choices under a budget measured in small pictures."""
    with mock.patch.object(budget, "_QUALITY", Quality(96, 54, 8, 1)):
        yield
