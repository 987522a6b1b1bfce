"""The lightmaps of a move for the Light stop: what is asked, what was baked, its faults, and pictures of it."""

from __future__ import annotations

from typing import Any

from server.moves.bench import VERSION, Bench
from server.moves.store import get_blob, put_blob, store
from trasloco.errors import Refused
from trasloco.formats.gltf_write import GlbOptions, write_glb
from trasloco.inventory.decisions import in_force
from trasloco.light.lightmaps.density import densities
from trasloco.light.lightmaps.faults import Fault, PartFigures
from trasloco.light.lightmaps.layout import MIB
from trasloco.light.lightmaps.lightmaps import Baked
from trasloco.light.lightmaps.showing import LENSES, lens_picture, placed_scene
from trasloco.light.lightmaps.wishes import why_not
from trasloco.scene.digest import digest
from trasloco.scene.images import encode
from trasloco.scene.light_codes import bytes_a_texel
from trasloco.scene.model import Scene


def lightmaps_out(bench: Bench) -> dict[str, Any]:
    """Everything the table shows. Nothing heavy is started: what was not baked yet is told as proposed."""
    rules, wish = bench.destination.lightmaps, bench.wish
    baked = bench.baked() if wish.wanted and bench.has_light() else None
    scene = baked.laid.scene if baked is not None else bench.reference()
    excused = baked.laid.excused if baked is not None else {part.id: reason for part in scene.parts() if (reason := why_not(scene, part, wish))}
    receiving = [part.id for part in scene.parts() if part.id not in excused]
    each = bytes_a_texel(rules.encoding, rules.compressed)
    received = {d.target: d.value for d in in_force(bench.decisions) if d.field == "received_light" and d.value}
    proposed = {} if baked is not None or not receiving else densities(scene, receiving, wish.budget_mib * MIB / each, wish.density)
    return {
        "taken": rules.taken, "wanted": wish.wanted, "paths": wish.samples, "bounces": wish.bounces, "seconds": wish.seconds, "budget_mib": wish.budget_mib, "sheet_budget_mib": rules.budget_mib,
        "denoised": wish.denoised, "stitched": wish.stitched, "encoding": rules.encoding, "packing": rules.packing, "compressed": rules.compressed,
        "baked": None if baked is None else _baked(baked, bench), "parts": [_part(scene, part.id, excused.get(part.id, ""), baked, proposed, bench, received) for part in scene.parts()],
        "faults": [] if baked is None else [_fault(fault, scene) for fault in baked.faults.found], "lenses": list(LENSES),
    }


def _baked(baked: Baked, bench: Bench) -> dict[str, Any]:
    return {
        "version": bench.light_key, "maps": [{"width": w, "height": h} for w, h in baked.laid.sizes], "memory_mib": baked.memory_mib, "files_mib": sum(len(f.data) for f in baked.files.values()) / MIB,
        "cost": baked.cost, "seam": baked.seam, "ev100": baked.faults.ev100, "paths": max((g.samples for g in baked.gathered), default=0),
    }


def _part(scene: Scene, id: str, excused: str, baked: Baked | None, proposed: dict[str, float], bench: Bench, received: dict[str, Any]) -> dict[str, Any]:
    density = baked.laid.density.get(id) if baked is not None else proposed.get(id)
    figures = baked.faults.figures.get(id) if baked is not None else None
    charts = baked.laid.charts.get(scene.nodes[id].mesh or "") if baked is not None else None
    given = scene.nodes[id].lightmap if baked is not None else None
    width = height = memory = None
    if baked is not None and given is not None:
        number = int(given.image.rpartition(" ")[2])
        side_w, side_h = baked.laid.sizes[number]
        width, height = round(given.scale[0] * side_w), round(given.scale[1] * side_h)
        rules = bench.destination.lightmaps
        memory = width * height * bytes_a_texel(rules.encoding, rules.compressed) / 1024
    return {
        "id": id, "name": scene.nodes[id].name, "excused": excused, "received": received.get(id), "density": density, "asked": bench.wish.density.get(id), "left_out": id in bench.wish.left_out,
        "width": width, "height": height, "memory_kib": memory, "map": None if given is None else int(given.image.rpartition(" ")[2]), "figures": None if figures is None else _figures(figures),
        "charts": None if charts is None else {"made": charts.made, "reason": charts.reason, "overlap": charts.overlap, "share": charts.share, "stretch": charts.stretch, "count": charts.charts},
    }


def _figures(figures: PartFigures) -> dict[str, Any]:
    return {"leak": figures.leak, "seam": figures.seam, "noise": figures.noise, "coarse": figures.coarse, "texels": figures.texels}


def _fault(fault: Fault, scene: Scene) -> dict[str, Any]:
    return {
        "kind": fault.kind, "part": fault.part, "name": scene.nodes[fault.part].name, "share": fault.share, "worst": fault.worst, "text": fault.text, "cause": fault.cause, "cure": fault.cure,
        "decisions": [{"target": d.target, "field": d.field, "value": d.value} for d in fault.decisions],
    }


def _ready(bench: Bench) -> Baked:
    if not (bench.wish.wanted and bench.has_light()):
        raise Refused("There are no lightmaps yet.", bench.move.name, "Bake them first.")
    return bench.baked()


def lens_png(bench: Bench, number: int, lens: str) -> bytes:
    """A lightmap under a lens."""
    baked = _ready(bench)
    return get_blob(store.get_or_make(digest("lens", VERSION, bench.light_key, number, lens), lambda: put_blob(encode(lens_picture(baked, number, lens), "png"))))


def view_glb(bench: Bench) -> bytes:
    """The lightmapped parts, for the view."""
    baked = _ready(bench)
    options = GlbOptions(materials=False, images=False, ids=True, motion=False, lights=False, cameras=False, tangents=False)
    return get_blob(store.get_or_make(digest("lightmap view", VERSION, bench.light_key), lambda: put_blob(write_glb(placed_scene(baked), options))))
