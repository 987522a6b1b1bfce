"""Which material and part of an arrival stands for which of the reference: by name, since packages carry
names.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from trasloco.scene.model import Scene


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "", name.lower())


def paired(reference: Mapping[str, str], arrival: Mapping[str, str]) -> dict[str, str]:
    """Reference id to arrival id, from ids to names: the same name, else the same letters and digits, else
    the same but for a running number behind it there; each is taken once.
    """
    made: dict[str, str] = {}
    free = dict(arrival)
    for same in (
        lambda a, b: a == b,
        lambda a, b: _plain(a) == _plain(b),
        lambda a, b: _plain(a) == _plain(b).rstrip("0123456789"),
    ):
        for id, name in reference.items():
            if id in made:
                continue
            found = next((other for other, theirs in free.items() if same(name, theirs)), None)
            if found is not None:
                made[id] = found
                del free[found]
    return made


def paired_materials(reference: Scene, arrival: Scene) -> dict[str, str]:
    return paired(
        {m.id: m.name for m in reference.materials.values()},
        {m.id: m.name for m in arrival.materials.values()},
    )


def paired_parts(reference: Scene, arrival: Scene) -> dict[str, str]:
    return paired({p.id: p.name for p in reference.parts()}, {p.id: p.name for p in arrival.parts()})


def paired_lamps(reference: Scene, arrival: Scene) -> dict[str, str]:
    """Nodes with lights."""
    return paired(
        *(
            {n.id: n.name for n in scene.nodes.values() if n.light in scene.lights}
            for scene in (reference, arrival)
        )
    )
