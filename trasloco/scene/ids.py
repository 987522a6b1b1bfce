"""Ids: made once on receipt from a thing's place in the source, with a running number among equals."""

from __future__ import annotations

import re

from trasloco.scene.wording import legible


class IdMaker:
    """Gives ids like ``part:stage/trunk`` and ``part:stage/trunk#2`` for the second of the same place."""

    def __init__(self) -> None:
        self._seen: dict[str, int] = {}

    def make(self, kind: str, place: str) -> str:
        plain = re.sub(r"[\s#?%]+", "-", legible(place).strip()) or "unnamed"
        base = f"{kind}:{plain}"
        count = self._seen.get(base, 0) + 1
        self._seen[base] = count
        return base if count == 1 else f"{base}#{count}"
