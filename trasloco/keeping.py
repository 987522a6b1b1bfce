"""What need not be computed twice, kept by whoever calls, if they wish: verbs hold nothing themselves.

Without a keeper everything is made anew. What is kept here is a part of some result (the measures of an
image, one written file), by a digest of all that goes into it; a keeper lives in one process, so its code
never changes under it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any, Protocol, TypeVar

Made = TypeVar("Made")
Function = TypeVar("Function", bound=Callable[..., Any])


class Keeper(Protocol):
    """Objects by key, in memory alone."""

    def recall(self, key: str) -> Any:
        """What is under a key, or None."""

    def remember(self, key: str, made: Any) -> None:
        """Keep something under a key."""


_KEEPER: ContextVar[Keeper | None] = ContextVar("keeper", default=None)


@contextmanager
def keeping(keeper: Keeper | None) -> Iterator[None]:
    """Parts of what is made inside are kept."""
    token = _KEEPER.set(keeper)
    try:
        yield
    finally:
        _KEEPER.reset(token)


def keep_from_now_on(keeper: Keeper) -> None:
    """For a whole process, or the thread that calls."""
    _KEEPER.set(keeper)


def with_keeper(function: Function) -> Function:
    """The function for other threads, with the keeper of the one that calls now."""
    keeper = _KEEPER.get()

    def run(*given: Any) -> Any:
        with keeping(keeper):
            return function(*given)

    return run  # type: ignore[return-value]


def kept(kind: str, key: str, make: Callable[[], Made]) -> Made:
    """What was made under a key, or is made now."""
    keeper = _KEEPER.get()
    if keeper is None:
        return make()
    found = keeper.recall(f"{kind} {key}")
    if found is None:
        found = make()
        keeper.remember(f"{kind} {key}", found)
    return found  # type: ignore[no-any-return]


FEW = 4


def kept_of_late(kind: str, key: str, make: Callable[[], Made]) -> Made:
    """The same for what is large and soon asked for again, or never: the last few of a kind."""
    held: dict[str, Made] = recalled("of late", kind) or {}
    found = held[key] if key in held else make()
    remembered(
        "of late", kind, dict([*[(k, v) for k, v in held.items() if k != key][1 - FEW :], (key, found)])
    )
    return found


def recalled(kind: str, key: str) -> Any:
    """What was made under a key, or None."""
    keeper = _KEEPER.get()
    return keeper.recall(f"{kind} {key}") if keeper is not None else None


def remembered(kind: str, key: str, made: Any) -> None:
    """Keep what was made, where anybody wishes."""
    keeper = _KEEPER.get()
    if keeper is not None:
        keeper.remember(f"{kind} {key}", made)
