"""A scene as flat arrays for the kernels: one triangle soup in the world, one table of materials, one of
textures.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, Literal

import numpy as np

from trasloco.at_rest import Row
from trasloco.limits import LIMITS
from trasloco.render.areas import with_glowing_areas
from trasloco.render.arrays import FlatScene, SceneArrays
from trasloco.render.closures.tables import albedos
from trasloco.render.coincident import held_apart
from trasloco.render.columns import EMISSION, SOLID, TWO_SIDED
from trasloco.render.flat_lights import (
    LAMPS,
    REST,
    environment_tables,
    glow_tables,
    lamps_apart,
    light_rows,
    openings_of,
    surrounding,
)
from trasloco.render.material_rows import material_rows
from trasloco.render.posing import posed
from trasloco.render.shared_rays import rays_of
from trasloco.render.texture_store import TextureStore
from trasloco.scene.color import LUMINANCE
from trasloco.scene.geometry import (
    apart_by_handedness,
    flat_normals,
    flat_primitive,
    transform_normals,
    transform_points,
)
from trasloco.scene.images import decode_ahead
from trasloco.scene.model import DEFAULT_MATERIAL, Input, Material, Node, Primitive, Scene, Texture
from trasloco.scene.probes import light_between, middle_of
from trasloco.scene.resolve import drawn_images
from trasloco.scene.tangent_frames import tangents

_COLUMNS: dict[str, tuple[Any, tuple[int, ...]]] = {
    **dict.fromkeys(("positions", "normals"), (np.float32, (3,))),
    **dict.fromkeys(("tangents", "colors"), (np.float32, (4,))),
    **dict.fromkeys(("uv0", "uv1", "uv2"), (np.float32, (2,))),
    "triangles": (np.uint32, (3,)),
    **dict.fromkeys(("material", "part", "layer"), (np.int32, ())),
}
"""Of each point, then of each triangle: type and shape of an item."""


def _is_large(scene: Scene) -> bool:
    """Whether what is drawn of a scene is better not held in memory."""
    texels = sum(
        i.width * i.height * i.channels * max(i.depth // 8, 1) for i in drawn_images(scene) if i.usable
    )
    corners = sum(
        100 * len(primitive.positions) + 24 * len(primitive.indices)
        for part in scene.parts()
        for primitive in scene.meshes[part.mesh or ""].primitives
    )
    return texels + corners > LIMITS.drawn_bytes


def _received(scene: Scene, parts: list[Node], textures: TextureStore) -> tuple[Any, Any]:
    """Rows of the light that parts receive, and the probes of those that have one: what is nearest, by the
    inverse square of the distance.
    """
    rows = [[-1.0, 0.0, -1.0, -1.0] for _ in parts]
    probes: list[Any] = []
    world = scene.world_matrices()
    for row, part in zip(rows, parts, strict=True):
        given = part.lightmap
        if given is not None:
            row[:2] = [
                textures.add(
                    "lightmap",
                    Input(
                        (1.0,),
                        Texture(given.image, offset=given.offset, scale=given.scale, wrap=("clamp", "clamp")),
                    ),
                ),
                given.level,
            ]
            if given.direction:
                row[3] = textures.add(
                    "direction",
                    Input(
                        (1.0,),
                        Texture(
                            given.direction,
                            encoding="linear",
                            offset=given.offset,
                            scale=given.scale,
                            wrap=("clamp", "clamp"),
                        ),
                    ),
                )
        elif part.probed and scene.probes:
            row[2] = len(probes)
            probes.append(light_between(scene.probes, middle_of(scene, part, world[part.id])))
    return np.array(rows, np.float64).reshape(-1, 4), np.array(probes, np.float64).reshape(-1, 9, 3)


def _second_set(material: Material | None) -> int:
    """The UV set that stands beside the first one for a material: the last that its images read.

    Kernels know two sets.
    """
    return (
        max([1, *(texture.uv_set for given in material.inputs.values() for texture in given.textures)])
        if material is not None
        else 1
    )


def _bent_on(material: Material | None, second: int) -> int | None:
    """The UV set that a material's relief or brushing lies on, 0 or the second one; None where directions on
    the surface mean nothing.
    """
    if material is None:
        return None
    for name in ("normal", "height", "clearcoat_normal", "anisotropy"):
        given = material.inputs.get(name)
        if given is not None and given.texture is not None:
            return second if given.texture.uv_set else 0
    return 0 if "anisotropy" in material.inputs else None


def _own_tangents(primitive: Primitive, matrix: Any, make: Callable[[], Any]) -> Any:
    """The tangents that a mesh brings along, in the world; those that ``make`` makes from the UVs where they
    are no directions (glTF 2.0, 3.7.2.1).
    """
    given = primitive.tangents
    assert given is not None
    turned = given[:, :3].astype(np.float64) @ matrix[:3, :3].T
    length = np.linalg.norm(turned, axis=1)
    sound = np.isfinite(length) & (length > 1e-9) & (np.abs(given[:, 3]) > 0.5)
    # A mirroring transform turns normals and faces over, and with them the side that the bitangent lies on.
    hand = np.sign(given[:, 3:])
    own = np.concatenate([turned / np.maximum(length, 1e-30)[:, None], hand], axis=1)
    return (own if sound.all() else np.where(sound[:, None], own, make())).astype(np.float32)


def flatten(scene: Scene, kept: Literal["together", "apart", "straight"] = "together") -> FlatScene:
    """World-space arrays of everything that can be seen, skins posed. Missing normals are flat as glTF 2.0
    asks; missing UVs are zero.

    Light is kept in one layer; ``apart`` in one for every lamp, for the environment and for what glows;
    ``straight`` in one for what comes straight from lamps and one for all the rest.
    """
    decode_ahead(drawn_images(scene))
    scene = with_glowing_areas(posed(scene))
    names = (
        ("environment", "glow", *lamps_apart(scene), *(("backdrop",) if scene.backdrop is not None else ()))
        if kept == "apart"
        else (LAMPS, REST)
        if kept == "straight"
        else ("all",)
    )
    layer_of = {name: k for k, name in enumerate(names)}
    world = scene.world_matrices()
    materials = [*scene.materials.values(), DEFAULT_MATERIAL]
    number = {material.id: k for k, material in enumerate(materials)}
    most = LIMITS.row_bytes if _is_large(scene) else float("inf")
    columns = {key: Row(kind, item, most) for key, (kind, item) in _COLUMNS.items()}
    parts = scene.parts()
    start = 0
    for part_number, part in enumerate(parts):
        matrix = world[part.id]
        for primitive in scene.meshes[part.mesh or ""].primitives:
            if not len(primitive.indices):
                continue
            positions, indices = primitive.positions, primitive.indices
            pick = slice(None)
            shade = scene.materials.get(primitive.material or "")
            second = _second_set(shade)
            bent = _bent_on(shade, second)
            if primitive.normals is None:
                positions, indices = flat_primitive(primitive)
                pick = primitive.indices.reshape(-1)  # type: ignore[assignment]
            elif bent is not None and primitive.tangents is None and len(primitive.uvs) > bent:
                split, indices = apart_by_handedness(primitive.uvs[bent], indices)
                positions, pick = positions[split], split  # type: ignore[assignment]
            count = len(positions)
            moved = transform_points(matrix, positions).astype(np.float32)
            mirrored = np.linalg.det(matrix[:3, :3]) < 0
            if mirrored:
                indices = indices[:, ::-1]
            normals = (
                flat_normals(moved, indices)
                if primitive.normals is None
                else transform_normals(matrix, primitive.normals[pick]).astype(np.float32)
            )
            if mirrored and primitive.normals is not None:
                normals = -normals
            uv0 = primitive.uvs[0][pick] if primitive.uvs else np.zeros((count, 2), np.float32)
            uv1 = primitive.uvs[second][pick] if len(primitive.uvs) > second else uv0
            columns["positions"].append(moved)
            columns["normals"].append(normals)
            if primitive.tangents is not None and primitive.normals is not None:
                make = partial(tangents, moved, normals, uv0, indices)
                columns["tangents"].append(_own_tangents(primitive, matrix, make))
            else:
                columns["tangents"].append(tangents(moved, normals, uv1 if bent == second else uv0, indices))
            columns["colors"].append(
                primitive.colors[pick] if primitive.colors is not None else np.ones((count, 4), np.float32)
            )
            columns["uv0"].append(uv0)
            columns["uv1"].append(uv1)
            light = part.lightmap
            columns["uv2"].append(
                primitive.uvs[light.uv_set][pick]
                if light is not None and len(primitive.uvs) > light.uv_set
                else np.zeros((count, 2), np.float32)
            )
            columns["triangles"].append(indices + np.uint32(start))
            columns["material"].append(
                np.full(len(indices), number.get(primitive.material or "", len(materials) - 1), np.int32)
            )
            columns["part"].append(np.full(len(indices), part_number, np.int32))
            columns["layer"].append(
                np.full(
                    len(indices), layer_of.get(part.id, layer_of.get("glow", layer_of.get(REST, 0))), np.int32
                )
            )
            start += count

    columns["positions"].append(np.zeros((1, 3), np.float32))  # Embree reads beyond the last one
    whole = {key: row.whole() for key, row in columns.items()}
    textures = TextureStore(scene, most)
    received, probes = _received(scene, parts, textures)
    table, slots, spans, layers = material_rows(materials, textures)
    words, floats, eight, sixteen = textures.arrays()
    picture, turn = surrounding(scene, scene.environment) or (np.zeros((1, 1, 3), np.float32), 0.0)
    around, env_rows, env_columns, edges = environment_tables(picture)
    behind, behind_turn = surrounding(scene, scene.backdrop) or (around, turn)
    rest = layer_of.get(REST, 0)
    bright = table[:, 3 * EMISSION : 3 * EMISSION + 3] @ np.array(LUMINANCE)
    positions, triangles, triangle_material = whole["positions"][:-1], whole["triangles"], whole["material"]
    one_sided = (table[:, TWO_SIDED] == 0) & (table[:, SOLID] == 0)
    positions = held_apart(positions, triangles, one_sided[triangle_material])
    arrays = SceneArrays(
        positions,
        whole["normals"],
        whole["tangents"],
        whole["colors"],
        whole["uv0"],
        whole["uv1"],
        whole["uv2"],
        triangles,
        triangle_material,
        whole["part"],
        received,
        table,
        slots,
        spans,
        layers,
        words,
        floats,
        eight,
        sixteen,
        light_rows(scene, layer_of),
        around,
        env_rows,
        env_columns,
        edges,
        np.array([np.cos(turn), np.sin(turn)]),
        behind,
        np.array([np.cos(behind_turn), np.sin(behind_turn)]),
        openings_of(scene),
        probes,
        np.array([rest, layer_of.get("backdrop", rest)]),
        whole["layer"],
        *albedos(),
        *glow_tables(positions, triangles, bright[triangle_material]),
    )
    rays = rays_of(arrays.positions, arrays.triangles)
    return FlatScene(arrays, rays, tuple(m.id for m in materials), tuple(p.id for p in parts), names)
