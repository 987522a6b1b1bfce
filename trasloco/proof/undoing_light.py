"""Lamps, and light that was written down, taken back."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.lights import soft
from trasloco.proof.pairing import paired_lamps
from trasloco.proof.suspect import GONE, Suspect, all_of
from trasloco.scene.model import Scene


def written_light(arrival: Scene, lamps: list[Suspect]) -> list[Suspect]:
    """Light written down on parts that stand, and at places for those that move: taken back, they are lit by
    the lamps of the reference again.
    """
    found = []
    for label, held, reason in (
        (
            "Lightmaps",
            {n.id for n in arrival.parts() if n.lightmap is not None},
            "Their light was written down, and is read from texels.",
        ),
        (
            "Probes",
            {n.id for n in arrival.parts() if n.probed},
            "Their light was written down at places that they pass.",
        ),
    ):

        def undo(scene: Scene, held: frozenset[str] = frozenset(held)) -> Scene:
            return all_of(lamps)(
                replace(
                    scene,
                    nodes={
                        id: replace(n, lightmap=None, probed=False) if id in held else n
                        for id, n in scene.nodes.items()
                    },
                )
            )

        if held:
            found.append(
                Suspect(
                    label.lower(),
                    "light",
                    label,
                    f"{len(held)} part{'s' if len(held) > 1 else ''}",
                    reason,
                    "lightmaps",
                    undo,
                )
            )
    return found


def lamps_of(reference: Scene, arrival: Scene) -> list[Suspect]:
    found = []
    pairs = paired_lamps(reference, arrival)
    world = reference.world_matrices()
    for node in reference.nodes.values():
        light = reference.lights.get(node.light or "")
        if light is None or not light.enabled or light.opening:
            continue
        other = arrival.nodes.get(pairs.get(node.id, ""))
        arrived = arrival.lights.get(other.light or "") if other is not None else None
        same = (
            arrived is not None
            and arrived.kind == light.kind
            and arrived.enabled
            and arrived.shadows == light.shadows
            and np.allclose(
                [arrived.intensity, *arrived.color, arrived.outer_cone_rad],
                [light.intensity, *light.color, light.outer_cone_rad],
                rtol=2e-3,
            )
        )
        narrower = arrived is not None and soft(light, arrived)
        if same and not narrower:
            continue
        reason = (
            "Its shadows arrive with hard edges."
            if same
            else "It did not arrive."
            if arrived is None
            else f"It arrives as a {arrived.kind}."
            if arrived.kind != light.kind
            else "Its shadows are switched off."
            if arrived.shadows != light.shadows and np.isclose(arrived.intensity, light.intensity, rtol=2e-3)
            else f"It arrives at {arrived.intensity / max(light.intensity, 1e-9):.2g} times its strength."
        )

        def undo(scene: Scene, id: str = node.id, other: str | None = pairs.get(node.id)) -> Scene:
            given = reference.nodes[id]
            own = reference.lights[given.light or ""]
            nodes = {k: replace(n, light=None) if k == other else n for k, n in scene.nodes.items()}
            nodes[GONE + id] = replace(
                given,
                id=GONE + id,
                parent=None,
                matrix=world[id],
                mesh=None,
                camera=None,
                light=GONE + own.id,
            )
            return replace(
                scene, nodes=nodes, lights={**scene.lights, GONE + own.id: replace(own, id=GONE + own.id)}
            )

        found.append(Suspect(node.id, "light", "Light", node.name, reason, light.id, undo))
    return found
