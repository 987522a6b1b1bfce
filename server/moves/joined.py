"""What is decided once files that a person gave to something have joined the delivery and are read."""

from __future__ import annotations

from typing import Any

from server.moves.bench import Bench
from trasloco.results import acts, own_shelf
from trasloco.results.records import Decision


def decisions_of(bench: Bench, use: dict[str, Any]) -> list[Decision]:
    """An image read by an input (``target``, ``path``), several by theirs with channels and inversion
    (``images``), or a kept material (``paths``) on a ``slot`` or under
    a ``name`` of its own, worn by ``on`` and ``faces``.

    Raises:
        Refused: it did not arrive as what it is to be, or its target is gone.
    """
    if "images" in use:
        return [
            acts.read_so(bench, one["target"], one["path"], one["channels"], one["invert"])
            for one in use["images"]
        ]
    if "path" in use:
        return acts.using(bench, use["target"], use["path"])
    if use["slot"] is not None:
        return own_shelf.put_on_slot(bench, use["paths"], use["slot"])
    return own_shelf.made_of(bench, use["paths"], use["name"], use["on"], use["faces"])
