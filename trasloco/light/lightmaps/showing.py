"""Lightmaps to look at: the light alone, texel density, charts, and each fault on the measure ramp."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.light.lightmaps.bake_wish import movers
from trasloco.light.lightmaps.baking import Gathered
from trasloco.light.lightmaps.faults import KINDS
from trasloco.light.lightmaps.finishing import sound
from trasloco.light.lightmaps.layout import map_image
from trasloco.light.lightmaps.leaks import SEEN
from trasloco.light.lightmaps.lightmaps import Baked
from trasloco.light.lightmaps.looks import metered, shown
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.covering import padded
from trasloco.scene.images import encode, pixels
from trasloco.scene.measure_ramp import INK, MADDER, PAPER, edges_of, hatched, measure_ramp
from trasloco.scene.model import Mesh, Scene
from trasloco.scene.resolve import color_of

LENSES = ("light", "density", "charts", "toward", *KINDS)
DENSITY_TOP = 256.0
"""Texels a metre at which the ramp reaches ink."""


def lens_picture(baked: Baked, number: int, lens: str) -> npt.NDArray[np.uint8]:
    """A lightmap (H, W, 3) under a lens.

    Raises:
        Refused: there is no such lightmap or lens.
    """
    if not 0 <= number < len(baked.lux) or lens not in LENSES:
        raise Refused("There is no such picture.", f"lightmap {number + 1}, {lens}", "Reload the page.")
    found, covered = baked.gathered[number], baked.gathered[number].covered
    if lens == "light":
        return np.asarray(
            np.round(linear_to_srgb(shown(baked.lux[number], baked.faults.ev100)) * 255), np.uint8
        )
    if lens == "toward":
        told = baked.files.get(baked.directions.get(map_image(number), ""))
        return (
            color_of(pixels(told)) if told is not None else np.full((*covered.part.shape, 3), 128, np.uint8)
        )
    if lens == "charts":
        # Neighbouring numbers in tones far apart; the lines between say the rest.
        tone = (covered.chart * 0.6180339887) % 1.0
        picture: npt.NDArray[np.uint8] = np.round(
            np.array(PAPER) * (1 - 0.5 * tone[..., None]) + np.array(INK) * 0.5 * tone[..., None]
        ).astype(np.uint8)
        picture[~covered.touched] = (119, 119, 119)
        picture[edges_of(covered.chart)] = MADDER
        return picture
    if lens == "density":
        density = np.array([*(baked.laid.density.get(id, 0.0) for id in _part_ids(baked)), 0.0])
        values, limit = density[covered.part].astype(np.float32), 0.0
        picture = measure_ramp(values, DENSITY_TOP)
    else:
        values, limit = np.nan_to_num(baked.faults.maps[number][lens]), SEEN
        picture = measure_ramp(values)
        picture[edges_of(values > limit)] = MADDER
    inside = covered.touched & ~sound(found)
    return padded(hatched(picture, inside), covered.touched)


def _part_ids(baked: Baked) -> list[str]:
    """Parts by their number in the flat scene, which numbers those of the scene that was lit in order; what
    moves was not in it.
    """
    gone = set(movers(baked.laid.excused))
    return [node.id for node in baked.laid.scene.parts() if node.id not in gone]


def early_png(found: Gathered) -> bytes:
    """A lightmap on its way."""
    lit = sound(found)
    lux = padded(found.lux, lit)
    return encode(
        np.round(linear_to_srgb(shown(lux, metered(lux[lit]) if lit.any() else 0.0)) * 255).astype(np.uint8),
        "png",
    )


def placed_scene(baked: Baked) -> Scene:
    """The lightmapped parts with the UVs that they have in their images, each wearing a material that is
    named after its lightmap: for a view of the lightmaps alone.
    """
    scene = baked.laid.scene
    meshes: dict[str, Mesh] = {}
    nodes = dict(scene.nodes)
    for node in scene.parts():
        given = node.lightmap
        if given is None or node.id not in baked.laid.places:
            nodes[node.id] = replace(node, mesh=None)
            continue
        mesh = scene.meshes[node.mesh or ""]
        primitives = tuple(
            replace(
                p,
                uvs=(
                    (p.uvs[given.uv_set] * np.array(given.scale) + np.array(given.offset)).astype(np.float32),
                ),
                colors=None,
                joints=None,
                weights=None,
                morphs=(),
                material=given.image,
            )
            for p in mesh.primitives
            if len(p.uvs) > given.uv_set
        )
        own = replace(mesh, id=f"{mesh.id}@{node.id}", primitives=primitives, morph_names=())
        meshes[own.id] = own
        nodes[node.id] = replace(node, mesh=own.id, skin=None)
    some = next(iter(scene.materials.values()))
    materials = {
        map_image(k): replace(
            some, id=map_image(k), name=f"lightmap {k + 1}", inputs={}, back=None, payload={}
        )
        for k in range(len(baked.lux))
    }
    return replace(scene, nodes=nodes, meshes=meshes, materials=materials, skins={}, clips={})
