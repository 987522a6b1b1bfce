"""Places in the tree of a glTF file."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.formats.gltf_files import EXPORT_AGAIN
from trasloco.formats.gltf_materials import floats_of
from trasloco.formats.gltf_reading import Reading
from trasloco.limits import LIMITS
from trasloco.scene.model import Doubles
from trasloco.scene.transforms import compose


def matrix_of(source: dict[str, Any]) -> Doubles:
    if "matrix" in source:
        return np.array(floats_of(source["matrix"], 16, tuple(np.eye(4).ravel())), np.float64).reshape(4, 4).T
    return compose(
        floats_of(source.get("translation"), 3, (0, 0, 0)),
        floats_of(source.get("rotation"), 4, (0, 0, 0, 1)),
        floats_of(source.get("scale"), 3, (1, 1, 1)),
    )


def walk_order_of(reading: Reading) -> list[tuple[int, int | None]]:
    """Node numbers with their parents, parents first.

    Raises:
        Refused: a cycle, a node with two parents, or a tree beyond the limits.
    """
    sources = reading.items("nodes")
    if len(sources) > LIMITS.nodes:
        raise Refused(
            f"There are {len(sources)} nodes; the limit is {LIMITS.nodes}.",
            reading.where,
            "Join parts before exporting.",
        )
    chosen = reading.document.get("scene", 0)
    scenes = reading.items("scenes")
    if scenes:
        roots = list(reading.access.entry("scenes", chosen).get("nodes", []))
    else:
        children = {child for source in sources for child in source.get("children", [])}
        roots = [number for number in range(len(sources)) if number not in children]
    order: list[tuple[int, int | None]] = []
    seen: set[int] = set()
    pending: list[tuple[int, int | None, int]] = [(root, None, 0) for root in reversed(roots)]
    while pending:
        number, parent, depth = pending.pop()
        reading.access.entry("nodes", number)
        if number in seen or depth > LIMITS.node_depth:
            raise Refused(
                f"Node {number} is its own ancestor, has two parents, or lies too deep.",
                reading.where,
                EXPORT_AGAIN,
            )
        seen.add(number)
        order.append((number, parent))
        pending.extend((child, number, depth + 1) for child in reversed(sources[number].get("children", [])))
    return order


def instances_of(reading: Reading, source: dict[str, Any]) -> list[Doubles]:
    """Local matrices of EXT_mesh_gpu_instancing."""
    attributes = source["extensions"]["EXT_mesh_gpu_instancing"].get("attributes", {})
    columns = {
        key: reading.access.floats(attributes[key])
        for key in ("TRANSLATION", "ROTATION", "SCALE")
        if key in attributes
    }
    count = max((len(column) for column in columns.values()), default=0)
    still = {"TRANSLATION": (0.0, 0.0, 0.0), "ROTATION": (0.0, 0.0, 0.0, 1.0), "SCALE": (1.0, 1.0, 1.0)}
    return [
        compose(*(columns[key][i] if key in columns else still[key] for key in still)) for i in range(count)
    ]
