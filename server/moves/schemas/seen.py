"""Pictures from the program at the destination."""

from __future__ import annotations

from ninja import Schema


class WayOut(Schema):
    """A way in which it may be read over there; ``line`` is the line of the sheet that says it otherwise."""

    key: str
    words: str
    cure: str
    line: str


class ExplanationOut(Schema):
    ways: list[WayOut]
    share: float
    delta_e: float
    picture: str


class SeenOut(Schema):
    """A picture of an import, and what it says once it was explained."""

    id: int
    name: str
    view: str
    created: str
    current: bool
    """Whether what was delivered since is the same."""
    ready: bool
    found: bool = False
    """Whether the scene was found in it; otherwise it was taken as it is."""
    fine: bool = False
    sure: bool = False
    delta_e: float | None = None
    noise: float | None = None
    curve: str = ""
    tried: int = 0
    seconds: float = 0
    seen: str = ""
    meant: str = ""
    explanations: list[ExplanationOut] = []
