"""Decisions carried out on a settled scene, stage by stage."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.kinds import KINDS, in_force, typed
from trasloco.decisions.looks import with_looks
from trasloco.mends.settling import settle
from trasloco.scene.model import Decision, Scene
from trasloco.sheets.model import Sheet


def mended(scene: Scene, source: Sheet, decisions: Sequence[Decision]) -> Scene:
    """The reference: the received scene settled into neutral terms, with every decision carried out.

    Raises:
        Refused: a decision names a value that cannot be.
    """
    for decision in decisions:
        typed(decision)
    scene = settle(scene, source, decisions)
    kept = taken_along(decisions)
    for stage, due in by_stage(with_looks(decisions)):
        scene = carried_out(scene, stage, due, kept)
    return scene


def taken_along(decisions: Sequence[Decision]) -> frozenset[str]:
    """Targets that were taken along by themselves, whatever a rule says."""
    return frozenset(
        d.target for d in decisions if KINDS[d.field].choice and not KINDS[d.field].spares and d.value is True
    )


def by_stage(decisions: Sequence[Decision]) -> list[tuple[Stage, list[Decision]]]:
    """The stages at which something is done, with the decisions in force that do it."""
    holding = in_force(decisions)
    found = [(stage, [d for d in holding if stage in KINDS[d.field].does]) for stage in Stage]
    return [(stage, due) for stage, due in found if due]


def carried_out(
    scene: Scene, stage: Stage, decisions: Sequence[Decision], kept: frozenset[str] = frozenset()
) -> Scene:
    """One stage. ``kept`` are nodes that no rule leaves out.

    What is about nothing in the scene does nothing.
    """
    for decision in decisions:
        kind: type[Kind] = KINDS[decision.field]
        if not (kind.founds or _is_there(scene, decision.target)):
            continue
        before = scene
        scene = kind.does[stage](scene, decision.target, decision.value)
        if kind.spares and kept:
            nodes = {
                id: before.nodes[id] if id in kept else scene.nodes.get(id, node)
                for id, node in before.nodes.items()
                if id in kept or id in scene.nodes
            }
            scene = replace(scene, nodes=nodes)
    return scene


def _is_there(scene: Scene, target: str) -> bool:
    groups = (scene.nodes, scene.images, scene.lights, scene.materials, scene.clips, scene.cameras)
    return target in ("scene", "environment") or "/" in target or any(target in group for group in groups)


def keep_used(scene: Scene, variants: bool = False) -> Scene:
    """Drop materials and meshes that no part uses, and lights, cameras, points and lines whose node was left
    out. With ``variants``, what parts wear in another variant is used too.
    """
    meshes = {node.mesh for node in scene.nodes.values() if node.mesh}
    materials = {p.material for id in meshes for p in scene.meshes[id].primitives}
    if variants:
        materials |= {id for m in meshes for p in scene.meshes[m].primitives for id in p.variants.values()}
    materials |= {scene.materials[m].back for m in materials if m is not None and m in scene.materials}
    lights = {node.light for node in scene.nodes.values()}
    cameras = {node.camera for node in scene.nodes.values()}
    clouds = {node.cloud for node in scene.nodes.values()}
    return replace(
        scene,
        meshes={k: v for k, v in scene.meshes.items() if k in meshes},
        materials={k: v for k, v in scene.materials.items() if k in materials},
        lights={k: v for k, v in scene.lights.items() if k in lights},
        cameras={k: v for k, v in scene.cameras.items() if k in cameras},
        clouds={k: v for k, v in scene.clouds.items() if k in clouds},
    )
