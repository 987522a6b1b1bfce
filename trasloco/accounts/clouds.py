"""Points and lines without faces, on both sides."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from trasloco.accounts.model import Fact
from trasloco.accounts.pairing import Pairs
from trasloco.scene.model import Cloud, Scene

_PLACE, _COLOR = 1e-5, 1e-4


def cloud_facts(reference: Scene, arrival: Scene, pairs: Pairs) -> Iterator[Fact]:
    """Facts of everything that is drawn without faces, by its node."""
    for node in reference.nodes.values():
        other = arrival.nodes.get(pairs.nodes.get(node.id, ""))
        meant, got = (
            reference.clouds.get(node.cloud or ""),
            arrival.clouds.get(other.cloud or "") if other is not None else None,
        )
        if meant is not None or got is not None:
            yield Fact(
                "cloud",
                node.id,
                "points",
                node.name,
                _told(meant),
                _told(got),
                meant is not None and got is not None and same_cloud(meant, got),
                gone=got is None,
            )
    for id in pairs.new_nodes:
        if arrival.nodes[id].cloud in arrival.clouds:
            yield Fact(
                "cloud",
                id,
                "points",
                arrival.nodes[id].name,
                "not there",
                _told(arrival.clouds[arrival.nodes[id].cloud or ""]),
                False,
            )


def same_cloud(first: Cloud, second: Cloud) -> bool:
    """Whether two draw the same points, or the same lines, in their order and colours.

    Width is none of it: few formats hold one.
    """
    if len(first.lines) != len(second.lines) or (first.colors is None) != (second.colors is None):
        return False
    a, b = _drawn(first, first.positions), _drawn(second, second.positions)
    size = max(1.0, float(np.abs(a).max(initial=0)))
    if a.shape != b.shape or float(np.abs(a - b).max(initial=0)) > _PLACE * size:
        return False
    if first.colors is None or second.colors is None:
        return True
    return float(np.abs(_drawn(first, first.colors) - _drawn(second, second.colors)).max(initial=0)) <= _COLOR


def _drawn(cloud: Cloud, values: Any) -> Any:
    """Values of points, or of both ends of every line."""
    return values[cloud.lines] if len(cloud.lines) else values


def _told(cloud: Cloud | None) -> str:
    if cloud is None:
        return "none"
    colored = ", coloured" if cloud.colors is not None else ""
    return (
        f"{len(cloud.positions)} points"
        + (f", {len(cloud.lines)} lines" if len(cloud.lines) else "")
        + colored
    )
