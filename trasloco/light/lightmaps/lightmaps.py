"""Lightmaps from a scene to files: laid out, lit, finished, looked over, written down."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from trasloco.hands.setting import hands
from trasloco.light.lightmaps.bake_wish import Wish, excuses, movers
from trasloco.light.lightmaps.baking import Gathered, gather, light_scene
from trasloco.light.lightmaps.changing import change_of_light, weights_of
from trasloco.light.lightmaps.density import areas
from trasloco.light.lightmaps.faults import Faults, find_faults, seam_figure
from trasloco.light.lightmaps.finishing import finished, sound
from trasloco.light.lightmaps.layout import Laid, lay_out, map_image
from trasloco.light.lightmaps.looks import difference
from trasloco.light.lightmaps.probing import places_of, probes_at, without_parts
from trasloco.light.lightmaps.stitching import find_seams
from trasloco.light_codes.codes import direction_written, read, written
from trasloco.progress import Progress, part_of, silent
from trasloco.render.flatten import flatten
from trasloco.scene.digest import digest
from trasloco.scene.images import Image, identify
from trasloco.scene.lit import Probe
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet

Floats = npt.NDArray[np.float32]
OnLight = Callable[[Sequence[str], Sequence[Gathered]], None]


@dataclass(frozen=True)
class Baked:
    """Lightmaps of a move.

    Attributes:
        laid: which part lies where; its scene has the UV sets. gathered: light as found. lux: finished, (H,
            W, 3) each. faults: what is wrong with it.
        files: the images as delivered, by id. levels: lux that a value of 1 stands for in each. cost: mean ΔE
            of what the files keep against the light itself.
        seam: ΔE across seams at the 99th percentile. keys: of what each lightmap's light depends on.
        directions: by lightmap, the file that tells where its light comes from. probes: light for parts that
            move; probed: which.
    """

    laid: Laid
    gathered: tuple[Gathered, ...]
    lux: tuple[Floats, ...]
    faults: Faults
    files: Mapping[str, Image]
    levels: tuple[float, ...]
    cost: float
    seam: float
    keys: tuple[str, ...] = ()
    directions: Mapping[str, str] = field(default_factory=dict)
    probes: tuple[Probe, ...] = ()
    probed: tuple[str, ...] = ()


def bake_lightmaps(
    reference: Scene,
    delivered: Scene,
    destination: Sheet,
    wish: Wish,
    progress: Progress = silent,
    on_pass: OnLight | None = None,
    known: Mapping[str, Gathered] | None = None,
) -> Baked:
    """Light for every part of a delivered scene that stands still, as its destination reads it.

    ``on_pass`` gets the keys of the lightmaps and what there is of them after each pass; ``known`` is what
    was gathered before by those keys, and is gone on from.

    Raises:
        Refused: no charts can be made for a mesh.
    """
    rules = destination.lightmaps
    scene = light_scene(reference, delivered)
    progress(0.01, "Looking how light changes")
    excused = excuses(scene, wish)
    moved = movers(excused)
    shared = [part.id for part in scene.parts() if part.id not in excused and part.id not in wish.density]
    change = weights_of(
        change_of_light(flatten(without_parts(scene, moved), "straight"), shared), areas(scene, shared)
    )
    laid = lay_out(scene, rules, wish, part_of(progress, 0.03, 0.15), change)
    # What moves neither receives nor throws light that is written down: its shadow would stay behind.
    lights = without_parts(laid.scene, moved)
    flat = flatten(lights, "straight")
    keys = _keys(replace(laid, scene=lights), wish)
    begun = [(known or {}).get(key) for key in keys]
    gathered = gather(
        laid,
        wish,
        part_of(progress, 0.15, 0.88),
        None if on_pass is None else lambda found: on_pass(keys, found),
        begun,
        flat,
        hands(wish.threads),
    )
    probed = moved if rules.probes else []
    if probed:
        progress(0.89, "Probes for what moves")
    probes = probes_at(without_parts(scene, moved), places_of(scene, probed), wish.samples, wish.bounces)
    progress(0.92, "Seams and borders")
    seams = find_seams(flat, laid)
    done = finished(laid, flat, gathered, wish, seams)
    lux = done.lux
    progress(0.95, "Looking for faults")
    faults = find_faults(laid, flat, gathered, done, seams, wish)
    files: dict[str, Image] = {}
    directions: dict[str, str] = {}
    levels, costs = [], []

    def file_of(id: str, name: str, data: bytes) -> Image:
        files[id] = identify(
            id,
            name,
            posixpath.join(destination.images.folder, name) if destination.images.folder else name,
            data,
        )
        return files[id]

    for number, one in enumerate(lux):
        data, kind, level = written(one, rules.encoding, rules.compressed)
        file = file_of(map_image(number), f"lightmap-{number + 1}.{kind}", data)
        if wish.directed:
            directions[file.id] = file_of(
                f"{file.id} direction",
                f"lightmap-{number + 1}-direction.png",
                direction_written(done.toward[number]),
            ).id
        levels.append(level)
        lit = sound(gathered[number])
        kept = read(file, rules.encoding) * np.float32(level)
        costs.append(difference(one[lit], kept[lit], faults.ev100) if lit.any() else np.zeros(0, np.float32))
    cost = float(np.concatenate(costs).mean()) if costs and sum(len(c) for c in costs) else 0.0
    small = replace(laid, scene=replace(laid.scene, images={}, environment=None))
    return Baked(
        small,
        tuple(gathered),
        tuple(lux),
        faults,
        files,
        tuple(levels),
        cost,
        seam_figure(seams, lux, laid, faults.ev100),
        keys,
        directions,
        probes,
        tuple(probed) if probes else (),
    )


def _keys(laid: Laid, wish: Wish) -> tuple[str, ...]:
    """What the light of each lightmap depends on: the whole scene as it lights, how often light is sent on,
    and which parts lie where in it.
    """
    dark = replace(
        laid.scene,
        nodes={id: replace(node, lightmap=None) for id, node in laid.scene.nodes.items()},
        meshes={
            id: replace(m, primitives=tuple(replace(p, uvs=p.uvs[:2]) for p in m.primitives))
            for id, m in laid.scene.meshes.items()
        },
    )
    whole = digest("light", dark, wish.bounces)
    found = []
    for number, size in enumerate(laid.sizes):
        mine = {
            id: node.lightmap
            for id, node in laid.scene.nodes.items()
            if node.lightmap is not None and node.lightmap.image == map_image(number)
        }
        uvs = [
            p.uvs[given.uv_set]
            for id, given in mine.items()
            for p in laid.scene.meshes[laid.scene.nodes[id].mesh or ""].primitives
            if len(p.uvs) > given.uv_set
        ]
        found.append(digest(whole, size, mine, uvs))
    return tuple(found)


def with_lightmaps(delivered: Scene, baked: Baked) -> Scene:
    """A delivered scene with the lightmaps' UV sets, images, and each part's place in them."""
    level = {map_image(number): value for number, value in enumerate(baked.levels)}
    nodes = {
        id: replace(
            node,
            lightmap=replace(
                found, level=level[found.image], direction=baked.directions.get(found.image, "")
            ),
        )
        if id in baked.laid.places and (found := baked.laid.scene.nodes[id].lightmap) is not None
        else replace(node, probed=id in baked.probed)
        for id, node in delivered.nodes.items()
    }
    return replace(
        delivered,
        nodes=nodes,
        meshes=baked.laid.scene.meshes,
        images={**delivered.images, **baked.files},
        probes=baked.probes,
    )
