"""Several models made one scene, each brought to the unit and axis of the first; material libraries laid
beside the slots they fit.
"""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np

from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision, Declared, Node, Scene
from trasloco.scene.transforms import settle_matrix


def assembled(scenes: list[Scene], findings: list[Finding]) -> Scene:
    """One scene.

    Later models get ids that do not clash; where a file declares another unit or axis than the first one, its
    parts are brought to the first's.
    """
    first = next((s for s in scenes if {"unit", "up_axis"} <= s.declares), scenes[0])
    base = settle_matrix(str(first.up_axis.value), float(first.unit_m.value))
    merged: Scene | None = None
    for number, other in enumerate(scenes, 1):
        if other.unit_m.origin == "file" or other.up_axis.origin == "file" or first.unit_m.origin == "guess":
            change = np.linalg.inv(base) @ settle_matrix(str(other.up_axis.value), float(other.unit_m.value))
        else:
            change = np.eye(4)
            findings.append(
                Finding(
                    f"assembled:{other.name}",
                    "assembled",
                    "A model says neither unit nor axis",
                    f"{other.name} · beside {first.name}",
                    f"It is taken as {first.unit_m.value:g} m a unit, {first.up_axis.value} up, like the other.",
                    weight=40,
                )
            )
        other = _placed(_renamed(other, f"@{number}") if number > 1 else other, change, other.name)
        if merged is None:
            merged = other
            continue
        merged = replace(
            merged,
            nodes={**merged.nodes, **other.nodes},
            meshes={**merged.meshes, **other.meshes},
            materials={**merged.materials, **other.materials},
            images={**merged.images, **other.images},
            lights={**merged.lights, **other.lights},
            cameras={**merged.cameras, **other.cameras},
            skins={**merged.skins, **other.skins},
            clips={**merged.clips, **other.clips},
            clouds={**merged.clouds, **other.clouds},
            environment=merged.environment or other.environment,
            declares=merged.declares & other.declares,
            variants=(*merged.variants, *(v for v in other.variants if v not in merged.variants)),
        )
    assert merged is not None
    known = first.unit_m, first.up_axis
    extra = {"unit"} if known[0].origin == "file" else set()
    return replace(
        merged,
        unit_m=Declared(known[0].value, known[0].origin, known[0].evidence),
        up_axis=Declared(known[1].value, known[1].origin, known[1].evidence),
        declares=merged.declares | extra,
    )


def other_models(scene: Scene) -> list[str]:
    """Marks behind the ids of all models but the first, such as ``@2``."""
    return sorted({found.group() for id in scene.nodes if (found := re.search(r"@\d+$", id)) is not None})


def _placed(scene: Scene, matrix: np.ndarray, name: str) -> Scene:  # type: ignore[type-arg]
    """The scene below one node that turns and scales it; unchanged when there is nothing to do."""
    if np.allclose(matrix, np.eye(4), atol=1e-9):
        return scene
    root = Node(f"part:{name}-placed", f"{name} placed", None, matrix)
    return replace(
        scene,
        nodes={
            root.id: root,
            **{k: replace(n, parent=root.id) if n.parent is None else n for k, n in scene.nodes.items()},
        },
    )


def plain_name(name: str) -> str:
    """A name without case, separators and a trailing running number, for matching slots with library
    materials.
    """
    return re.sub(
        r"(?<=[a-z])\d+$",
        "",
        re.sub(r"[^a-z0-9]+", "", re.sub(r"^(m|mat|mtl|material)[-_ .]", "", name.lower())),
    )


OWN_SHELF = "own-shelf/"
"""Where what a person took off their own shelf lies in a delivery; that it came along is no finding."""


def with_library(scene: Scene, library: Scene, path: str, findings: list[Finding]) -> Scene:
    """The library's materials come along beside the scene's; those that have the name of a slot are offered
    for it.
    """
    marked = _renamed(library, f"@{path}")
    if not path.startswith(OWN_SHELF):
        findings.append(_came_along(scene, marked, path))
    return replace(
        scene, materials={**scene.materials, **marked.materials}, images={**scene.images, **marked.images}
    )


def _came_along(scene: Scene, library: Scene, path: str) -> Finding:
    by_name = {plain_name(m.name): m for m in library.materials.values()}
    fitting = [
        (slot, by_name[plain_name(slot.name)])
        for slot in scene.materials.values()
        if plain_name(slot.name) in by_name
    ]
    decisions = tuple(Decision(slot.id, "use_material", other.id) for slot, other in fitting)
    return Finding(
        f"library:{path}",
        "library",
        "A material library came along",
        f"{path} · {len(library.materials)} materials, {len(fitting)} with the name of a slot",
        "Until it is used, the slots keep the materials of their own file.",
        tuple(slot.id for slot, _ in fitting),
        20,
        {"slots": [slot.id for slot, _ in fitting]},
        (Mend("Use them", decisions),) if decisions else (),
    )


def _renamed(scene: Scene, mark: str) -> Scene:
    """The same scene with ``mark`` behind every id."""

    def new(id: str | None) -> str | None:
        return None if id is None else id + mark

    nodes = {
        n.id + mark: replace(
            n,
            id=n.id + mark,
            parent=new(n.parent),
            mesh=new(n.mesh),
            light=new(n.light),
            camera=new(n.camera),
            skin=new(n.skin),
            cloud=new(n.cloud),
        )
        for n in scene.nodes.values()
    }
    meshes = {
        m.id + mark: replace(
            m,
            id=m.id + mark,
            primitives=tuple(
                replace(p, material=new(p.material), variants={v: m + mark for v, m in p.variants.items()})
                for p in m.primitives
            ),
        )
        for m in scene.meshes.values()
    }
    materials = {}
    for m in scene.materials.values():
        inputs = {k: i.retextured(lambda t: replace(t, image=t.image + mark)) for k, i in m.inputs.items()}
        materials[m.id + mark] = replace(m, id=m.id + mark, inputs=inputs, back=new(m.back))
    return replace(
        scene,
        nodes=nodes,
        meshes=meshes,
        materials=materials,
        images={k + mark: replace(v, id=k + mark) for k, v in scene.images.items()},
        lights={k + mark: replace(v, id=k + mark) for k, v in scene.lights.items()},
        cameras={k + mark: replace(v, id=k + mark) for k, v in scene.cameras.items()},
        skins={
            k + mark: replace(v, id=k + mark, joints=tuple(j + mark for j in v.joints))
            for k, v in scene.skins.items()
        },
        clouds={k + mark: replace(v, id=k + mark) for k, v in scene.clouds.items()},
        clips={
            k + mark: replace(
                v, id=k + mark, channels=tuple(replace(c, node=c.node + mark) for c in v.channels)
            )
            for k, v in scene.clips.items()
        },
    )
