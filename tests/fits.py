"""Fits as small as tests need them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from unittest import mock

from trasloco.results import fitting


@contextmanager
def small_fits() -> Iterator[None]:
    """Pictures of fits small, and no looks at the sample beyond those that are needed."""
    with (
        mock.patch.object(fitting, "_QUICK", (40, 2)),
        mock.patch.object(fitting, "_FINE", (48, 4)),
        mock.patch.object(fitting, "_LOOKS", 0),
    ):
        yield
