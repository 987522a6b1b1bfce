"""The lightmaps of a move for the Light stop: what is asked, what was baked, its faults, and pictures of it."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import Any

from trasloco.decisions.kinds import in_force, on_the_wire
from trasloco.errors import Refused
from trasloco.formats.gltf_document import GlbOptions
from trasloco.formats.gltf_write import write_glb
from trasloco.light.lightmaps.bake_wish import excuses
from trasloco.light.lightmaps.baking import Gathered
from trasloco.light.lightmaps.density import densities
from trasloco.light.lightmaps.faults import Fault, cures
from trasloco.light.lightmaps.layout import MIB, texels_for
from trasloco.light.lightmaps.lightmaps import Baked, OnLight
from trasloco.light.lightmaps.showing import LENSES, early_png, lens_picture, placed_scene
from trasloco.results.name import named
from trasloco.results.route import Route
from trasloco.scene.images import encode
from trasloco.scene.model import Decision, Scene


def lightmaps_out(route: Route) -> dict[str, Any]:
    """Everything the table shows. Nothing heavy is started: what was not baked yet is told as proposed."""
    rules, wish = route.destination.lightmaps, route.wish
    baked = route.baked() if wish.wanted and route.has_light() else None
    scene = baked.laid.scene if baked is not None else route.reference()
    excused = baked.laid.excused if baked is not None else excuses(scene, wish)
    receiving = [part.id for part in scene.parts() if part.id not in excused]
    received = _received(scene, in_force(route.decisions))
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
        "baked": None if baked is None else _baked(baked, route),
        "parts": [
            _part(scene, part.id, excused.get(part.id, ""), baked, proposed, route, received)
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


def _baked(baked: Baked, route: Route) -> dict[str, Any]:
    return {
        "version": route.light_name.key,
        "earlier": route.light_is_earlier(),
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
    route: Route,
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
        "asked": route.wish.density.get(id),
        "left_out": id in route.wish.left_out,
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


def _ready(route: Route) -> Baked:
    if not (route.wish.wanted and route.has_light()):
        raise Refused("There are no lightmaps yet.", "this move", "Bake them first.")
    return route.baked()


def lens_png(route: Route, number: int, lens: str) -> bytes:
    """A lightmap under a lens."""
    baked = _ready(route)
    name = named("lens", ("trasloco.light.lightmaps.showing",), route.light_name, number, lens)
    made: bytes = route.store.get_or_make(name.key, lambda: encode(lens_picture(baked, number, lens), "png"))
    return made


def view_glb(route: Route) -> bytes:
    """The lightmapped parts, for the view."""
    baked = _ready(route)
    options = GlbOptions(
        materials=False, images=False, ids=True, motion=False, lights=False, cameras=False, tangents=False
    )
    made: bytes = route.store.get_or_make(
        named("lightmap view", ("trasloco.formats.gltf_write",), route.light_name).key,
        lambda: write_glb(placed_scene(baked), options),
    )
    return made


def early_pictures(on_pictures: Callable[[Sequence[bytes], int], None], every_s: float = 1.5) -> OnLight:
    """What a bake is listened to with, so that its first maps are seen while it runs: at most four PNG, with
    the paths a texel so far, now and then.
    """
    shown = [0.0]

    def heard(keys: Sequence[str], found: Sequence[Gathered]) -> None:
        if found and time.monotonic() - shown[0] > every_s:
            shown[0] = time.monotonic()
            on_pictures([early_png(one) for one in found[:4]], found[0].samples)

    return heard
