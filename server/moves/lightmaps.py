"""The lightmaps of a move for the Light stop: what is asked, what was baked, its faults, and pictures of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from server.moves.bench import Bench
from server.moves.store import store
from trasloco.decisions.kinds import in_force, on_the_wire
from trasloco.errors import Refused
from trasloco.formats.gltf_write import GlbOptions, write_glb
from trasloco.light.lightmaps.density import densities
from trasloco.light.lightmaps.faults import Fault, cures
from trasloco.light.lightmaps.layout import MIB, texels_for
from trasloco.light.lightmaps.lightmaps import Baked
from trasloco.light.lightmaps.showing import LENSES, lens_picture, placed_scene
from trasloco.light.lightmaps.wishes import excuses
from trasloco.results.name import named
from trasloco.scene.images import encode
from trasloco.scene.model import Decision, Scene


def lightmaps_out(bench: Bench) -> dict[str, Any]:
    """Everything the table shows. Nothing heavy is started: what was not baked yet is told as proposed."""
    rules, wish = bench.destination.lightmaps, bench.wish
    baked = bench.baked() if wish.wanted and bench.has_light() else None
    scene = baked.laid.scene if baked is not None else bench.reference()
    excused = baked.laid.excused if baked is not None else excuses(scene, wish)
    receiving = [part.id for part in scene.parts() if part.id not in excused]
    received = _received(scene, in_force(bench.decisions))
    proposed = (
        {}
        if baked is not None or not receiving
        else densities(scene, receiving, texels_for(rules, wish)[0], wish)
    )
    return {
        "taken": rules.taken,
        "wanted": wish.wanted,
        "paths": wish.samples,
        "bounces": wish.bounces,
        "seconds": wish.seconds,
        "budget_mib": wish.budget_mib,
        "sheet_budget_mib": rules.budget_mib,
        "denoised": wish.denoised,
        "stitched": wish.stitched,
        "directed": wish.directed,
        "takes_direction": rules.direction,
        "takes_probes": rules.probes,
        "matters": {"part": wish.part, "around_m": wish.around_m}
        if wish.part
        else {"camera": wish.camera}
        if wish.camera
        else None,
        "cameras": [{"id": camera.id, "name": camera.name} for camera in scene.cameras.values()],
        "encoding": rules.encoding,
        "packing": rules.packing,
        "compressed": rules.compressed,
        "baked": None if baked is None else _baked(baked, bench),
        "parts": [
            _part(scene, part.id, excused.get(part.id, ""), baked, proposed, bench, received)
            for part in scene.parts()
        ],
        "faults": [] if baked is None else [_fault(fault, scene) for fault in baked.faults.found],
        "cures": {}
        if baked is None
        else {kind: [on_the_wire(d) for d in made] for kind, made in cures(baked.faults.found).items()},
        "lenses": list(LENSES),
    }


def _received(scene: Scene, decisions: Sequence[Decision]) -> dict[str, dict[str, Any]]:
    """By part, what was decided about the light that it brings, and for what it was decided: the part, or the
    material that it wears.
    """
    found = {}
    for decision in decisions:
        if decision.field == "received_light" and decision.value:
            parts = (
                [decision.target]
                if decision.target in scene.nodes
                else [
                    part.id
                    for part in scene.parts()
                    if part.lightmap is not None
                    and any(p.material == decision.target for p in scene.meshes[part.mesh or ""].primitives)
                ]
            )
            found.update(
                {
                    part: {
                        "image": decision.value.get("image"),
                        "lux": decision.value["lux"],
                        "target": decision.target,
                    }
                    for part in parts
                }
            )
    return found


def _baked(baked: Baked, bench: Bench) -> dict[str, Any]:
    return {
        "version": bench.light_name.key,
        "earlier": bench.light_is_earlier(),
        "maps": [{"width": w, "height": h} for w, h in baked.laid.sizes],
        "memory_mib": baked.laid.memory_mib,
        "files_mib": sum(len(f.data) for f in baked.files.values()) / MIB,
        "cost": baked.cost,
        "seam": baked.seam,
        "ev100": baked.faults.ev100,
        "paths": max((g.samples for g in baked.gathered), default=0),
        "probes": len(baked.probes),
    }


def _part(
    scene: Scene,
    id: str,
    excused: str,
    baked: Baked | None,
    proposed: dict[str, float],
    bench: Bench,
    received: dict[str, Any],
) -> dict[str, Any]:
    density = baked.laid.density.get(id) if baked is not None else proposed.get(id)
    figures = baked.faults.figures.get(id) if baked is not None else None
    charts = baked.laid.charts.get(scene.nodes[id].mesh or "") if baked is not None else None
    place = baked.laid.places.get(id) if baked is not None else None
    return {
        "id": id,
        "name": scene.nodes[id].name,
        "excused": excused,
        "received": received.get(id),
        "density": density,
        "asked": bench.wish.density.get(id),
        "left_out": id in bench.wish.left_out,
        "place": None if place is None else asdict(place),
        "figures": None if figures is None else asdict(figures),
        "charts": None if charts is None else asdict(charts),
    }


def _fault(fault: Fault, scene: Scene) -> dict[str, Any]:
    return {
        "kind": fault.kind,
        "part": fault.part,
        "name": scene.nodes[fault.part].name,
        "share": fault.share,
        "worst": fault.worst,
        "text": fault.text,
        "cause": fault.cause,
        "cure": fault.cure,
        "decisions": [on_the_wire(d) for d in fault.decisions],
    }


def _ready(bench: Bench) -> Baked:
    if not (bench.wish.wanted and bench.has_light()):
        raise Refused("There are no lightmaps yet.", bench.move.name, "Bake them first.")
    return bench.baked()


def lens_png(bench: Bench, number: int, lens: str) -> bytes:
    """A lightmap under a lens."""
    baked = _ready(bench)
    name = named("lens", ("trasloco.light.lightmaps.showing",), bench.light_name, number, lens)
    made: bytes = store.get_or_make(name.key, lambda: encode(lens_picture(baked, number, lens), "png"))
    return made


def view_glb(bench: Bench) -> bytes:
    """The lightmapped parts, for the view."""
    baked = _ready(bench)
    options = GlbOptions(
        materials=False, images=False, ids=True, motion=False, lights=False, cameras=False, tangents=False
    )
    made: bytes = store.get_or_make(
        named("lightmap view", ("trasloco.formats.gltf_write",), bench.light_name).key,
        lambda: write_glb(placed_scene(baked), options),
    )
    return made
