"""A scene as flat arrays for the kernels: one triangle soup in the world, one table of materials, one of
textures.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

import numpy as np

from trasloco.rays.embree import RayScene
from trasloco.render.areas import with_glowing_areas
from trasloco.render.closures.tables import albedos
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
from trasloco.render.posing import posed
from trasloco.scene.color import LUMINANCE
from trasloco.scene.geometry import (
    apart_by_handedness,
    flat_normals,
    flat_primitive,
    tangents,
    transform_normals,
    transform_points,
)
from trasloco.scene.images import pixels, unit_floats
from trasloco.scene.inputs import INPUTS, VECTORS, is_solid
from trasloco.scene.layers import BLENDS
from trasloco.scene.model import DEFAULT_MATERIAL, Input, Material, Node, Primitive, Scene, Texture
from trasloco.scene.probes import light_between, middle_of
from trasloco.scene.relief import normal_from_height
from trasloco.scene.resolve import channel_of, color_of, read_texture


def _columns(first: int, count: int) -> tuple[Any, ...]:
    """Numbers of columns.

    Of NumPy's kind, since kernels are compiled anew for every Python constant that is passed on, which takes
    minutes.
    """
    return tuple(np.int64(first + k) for k in range(count))


TEXTURED = (
    "base_color",
    "metalness",
    "roughness",
    "normal",
    "opacity",
    "emission",
    "clearcoat",
    "clearcoat_roughness",
    "transmission",
    "specular",
    "specular_color",
    "clearcoat_normal",
    "sheen_color",
    "sheen_roughness",
    "subsurface",
    "subsurface_color",
    "diffuse_transmission",
    "diffuse_transmission_color",
    "anisotropy",
)
(
    BASE,
    METAL,
    ROUGH,
    NORMAL,
    OPACITY,
    EMISSION,
    COAT,
    COAT_ROUGH,
    TRANSMISSION,
    SPECULAR,
    SPECULAR_COLOR,
    COAT_NORMAL,
    SHEEN,
    SHEEN_ROUGH,
    SUBSURFACE,
    SUBSURFACE_COLOR,
    TRANSLUCENT,
    TRANSLUCENT_COLOR,
    ANISOTROPY,
) = _columns(0, len(TEXTURED))
# Columns of the material table: three factors an input, then numbers without an image, then flags.
NUMBERS = 3 * len(TEXTURED)
IOR, ABSORBED, _, _, RADIUS, TURN, DULL_ROUGH, COAT_COLOR, _, _, COAT_DARKENING = _columns(NUMBERS, 11)
ALPHA_MODE, CUTOFF, TWO_SIDED, UNLIT, BACK, VERTEX_COLOR, SOLID, PLAIN = _columns(NUMBERS + 11, 8)
MATERIAL_COLUMNS = NUMBERS + 19
CONSTANT = (
    "ior",
    "attenuation_color",
    "attenuation_distance",
    "thickness",
    "subsurface_radius",
    "anisotropy_rotation",
    "diffuse_roughness",
    "clearcoat_color",
    "clearcoat_darkening",
)
"""Inputs whose constant counts and whose image does not."""
_MOST_INDEX = 399.0
_WRAP = {"repeat": 0, "mirror": 1, "clamp": 2}


class SceneArrays(NamedTuple):
    """What the kernels read. V points, T triangles, M materials, X textures, L lights.

    positions, normals (V, 3); tangents, colors (V, 4); uv0, uv1, uv2 (V, 2), the last for light written down;
    triangles (T, 3); triangle_material, triangle_part (T,); received (P, 4): of each part the texture of the
    light it receives, -1 for none, lux of a value of 1, its probe and the texture of where light comes from;
    materials (M, columns); material_textures (M, inputs) with -1 for none;
    layer_spans (M, inputs, 2): first and beyond the last row of an input's layers; layers (Y, 8): texture,
    mask or -1, blend, weight, factor, whether bounded;
    texture_words (X, 10): start, width, height, channels, 16 bit, sRGB, wrap u, wrap v, uv set, invert;
    texture_floats (X, 8): 2x3 UV transform, normal strength, green sign; texels8, texels16: all texels in a
    row;
    lights (L, 16): kind, position, direction, colour x intensity, cosines of inner and outer cone, shadows,
    cosine of a sun's half angle, layers of its direct light and of what is sent on;
    environment (H, W, 3) in nit; env_rows (H,), env_columns (H * W,) cumulative within each row; env_density
    (H, W) over solid angle; env_turn: cosine and sine;
    backdrop (h, w, 3) in nit, backdrop_turn: what is seen where nothing stands; openings (Q, 13): corner, two
    edges, normal and area of where the environment comes in;
    probes (K, 9, 3): light for parts that move, lux by normal (scene/harmonics.py);
    sky_layer (2,), triangle_layer (T,): layer that the environment's, the backdrop's and a glowing triangle's
    light is kept in;
    metal, reflected, through, cloth, brushed: see :class:`trasloco.render.closures.tables.Albedos`;
    glow_triangles (G,) that emit, glow_cumulative (G,) by power, glow_density (T,) of picking a point of a
    triangle, per square metre, 0 for dark ones.
    """

    positions: Any
    normals: Any
    tangents: Any
    colors: Any
    uv0: Any
    uv1: Any
    uv2: Any
    triangles: Any
    triangle_material: Any
    triangle_part: Any
    received: Any
    materials: Any
    material_textures: Any
    layer_spans: Any
    layers: Any
    texture_words: Any
    texture_floats: Any
    texels8: Any
    texels16: Any
    lights: Any
    environment: Any
    env_rows: Any
    env_columns: Any
    env_density: Any
    env_turn: Any
    backdrop: Any
    backdrop_turn: Any
    openings: Any
    probes: Any
    sky_layer: Any
    triangle_layer: Any
    metal: Any
    reflected: Any
    through: Any
    cloth: Any
    brushed: Any
    glow_triangles: Any
    glow_cumulative: Any
    glow_density: Any


@dataclass(frozen=True)
class FlatScene:
    """Arrays, the ray scene over them, and what the numbers in them stand for."""

    arrays: SceneArrays
    rays: RayScene
    material_ids: tuple[str, ...]
    part_ids: tuple[str, ...]
    layers: tuple[str, ...] = ("all",)


class _Textures:
    """Collects textures; equal ones are stored once."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.words: list[list[int]] = []
        self.floats: list[list[float]] = []
        self.stores: tuple[list[Any], list[Any]] = ([], [])
        self.sizes = [0, 0]
        self.known: dict[Any, int] = {}
        self.placed: dict[Any, tuple[int, int, int, int, int]] = {}
        self.tops: dict[tuple[str, str], float] = {}

    def top(self, given: Input) -> float:
        """The value that white stands for in an input's stored image: above 1 only for floating ones."""
        image = self.scene.images.get(given.texture.image) if given.texture is not None else None
        return (
            self.tops.get((image.digest, given.texture.channels), 1.0)
            if image is not None and given.texture is not None
            else 1.0
        )

    def add(self, name: str, given: Input) -> int:
        texture = given.texture
        if texture is None:
            return -1
        image = self.scene.images.get(texture.image)
        if image is None or not image.usable:
            return -1
        key = (name == "height", texture, given.factor if name == "height" else None)
        if key in self.known:
            return self.known[key]
        ready = bool(texture.space) or (
            texture.invert and texture.curve != "linear"
        )  # a curve the kernels do not know: stored as what it means
        place = (image.digest, texture.channels, key if name == "height" or ready else None)
        if place not in self.placed:
            self.placed[place] = self._store(name, given, texture, image)
        start, width, height, channels, deep = self.placed[place]
        wrap_u, wrap_v = (_WRAP[w] for w in texture.wrap)
        cosine, sine = np.cos(texture.rotation_rad), np.sin(texture.rotation_rad)
        # KHR_texture_transform: translation * rotation * scale, with the rotation running counter-clockwise
        # in v-down space.
        su, sv = texture.scale
        self.words.append(
            [
                start,
                width,
                height,
                channels,
                deep,
                int(texture.encoding == "srgb" and not ready and not image.floating),
                wrap_u,
                wrap_v,
                min(texture.uv_set, 1),
                int(texture.invert and not ready),
            ]
        )
        strength = 1.0 if name == "height" else texture.strength
        green = 1.0 if name == "height" or texture.green_up else -1.0
        self.floats.append(
            [
                su * cosine,
                sv * sine,
                texture.offset[0],
                -su * sine,
                sv * cosine,
                texture.offset[1],
                strength,
                green,
            ]
        )
        self.known[key] = len(self.words) - 1
        return self.known[key]

    def _store(self, name: str, given: Input, texture: Any, image: Any) -> tuple[int, int, int, int, int]:
        texels = pixels(image)
        chosen = (
            color_of(texels) if texture.channels == "rgb" else channel_of(texels, texture.channels)[..., None]
        )
        if name == "height":
            heights = unit_floats(channel_of(texels, "r"))
            normals = normal_from_height(
                1 - heights if texture.invert else heights, texture.strength * given.factor[0]
            )
            chosen = np.round((normals * 0.5 + 0.5) * 65535).astype(np.uint16)
        elif texture.space or (texture.invert and texture.curve != "linear"):
            chosen = read_texture(texture, texels)
            chosen = chosen if chosen.ndim == 3 else chosen[..., None]
        if chosen.dtype == np.float32:
            # Floating values are light as it is (never sRGB), stored as shares of the brightest.
            self.tops[(image.digest, texture.channels)] = top = max(
                float(np.nan_to_num(chosen, posinf=0.0).max(initial=0.0)), 1.0
            )
            chosen = np.round(np.clip(chosen / top, 0, 1) * 65535).astype(np.uint16)
        deep = int(chosen.dtype == np.uint16)
        start = self.sizes[deep]
        self.stores[deep].append(np.ascontiguousarray(chosen).reshape(-1))
        self.sizes[deep] += chosen.size
        return start, chosen.shape[1], chosen.shape[0], chosen.shape[2], deep

    def arrays(self) -> tuple[Any, Any, Any, Any]:
        words = np.array(self.words, np.int64).reshape(-1, 10)
        floats = np.array(self.floats, np.float64).reshape(-1, 8)
        eight = np.concatenate([*self.stores[0], np.zeros(1, np.uint8)])
        sixteen = np.concatenate([*self.stores[1], np.zeros(1, np.uint16)])
        return words, floats, eight, sixteen


def _material_rows(scene: Scene, materials: list[Material], textures: _Textures) -> tuple[Any, Any, Any, Any]:
    layers: list[list[float]] = []
    spans = np.zeros((len(materials), len(TEXTURED), 2), np.int64)
    table = np.zeros((len(materials), MATERIAL_COLUMNS), np.float64)
    slots = np.full((len(materials), len(TEXTURED)), -1, np.int64)
    number = {material.id: k for k, material in enumerate(materials)}
    for row, material in enumerate(materials):
        strength = (
            material.inputs["emission_strength"].factor[0] if "emission_strength" in material.inputs else 1.0
        )
        for column, name in enumerate(TEXTURED):
            given = material.inputs.get(name)
            factor = INPUTS[name].default if given is None else given.factor
            if name == "emission" and given is not None:
                factor = tuple(f * strength for f in factor)
            table[row, 3 * column : 3 * column + len(factor)] = factor
            if given is not None:
                slots[row, column] = textures.add(name, given)
                table[row, 3 * column : 3 * column + len(factor)] *= textures.top(given)
                spans[row, column, 0] = len(layers)
                layers += _layer_rows(name, given, textures, strength if name == "emission" else 1.0)
                spans[row, column, 1] = len(layers)
        if slots[row, NORMAL] < 0 and "height" in material.inputs:
            slots[row, NORMAL] = textures.add("height", material.inputs["height"])
        ior = material.inputs.get("ior")
        base = material.inputs.get("base_color")
        # An index of 0 stands for one that reflects everything (KHR_materials_ior).
        table[row, IOR] = (
            1.5
            if ior is None
            else _MOST_INDEX
            if ior.factor[0] == 0
            else min(max(ior.factor[0], 1.0), _MOST_INDEX)
        )
        _numbers(material, table[row])
        table[row, ALPHA_MODE] = {"opaque": 0, "mask": 1, "blend": 2}[material.alpha_mode]
        table[row, CUTOFF] = material.alpha_cutoff
        table[row, TWO_SIDED] = material.double_sided or material.back is not None
        table[row, UNLIT] = material.unlit
        table[row, BACK] = number.get(material.back or "", -1)
        table[row, VERTEX_COLOR] = base is not None and base.vertex_color
    return table, slots, spans, np.array(layers, np.float64).reshape(-1, 8)


def _received(scene: Scene, parts: list[Node], textures: _Textures) -> tuple[Any, Any]:
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


def _numbers(material: Material, row: Any) -> None:
    """What has no image: absorption per metre, mean free path, turn, and what tells which closures are needed
    at all.
    """
    value = {
        name: material.inputs[name].factor if name in material.inputs else INPUTS[name].default
        for name in CONSTANT
    }
    distance = value["attenuation_distance"][0]
    color = np.clip(value["attenuation_color"], 1e-6, 1)
    # Beer and Lambert: the colour is what is left after the distance (KHR_materials_volume).
    row[ABSORBED : ABSORBED + 3] = -np.log(color) / distance if 0 < distance < np.inf else 0.0
    row[RADIUS] = max(value["subsurface_radius"][0], 1e-6)
    row[TURN], row[DULL_ROUGH], row[COAT_DARKENING] = (
        value["anisotropy_rotation"][0],
        value["diffuse_roughness"][0],
        value["clearcoat_darkening"][0],
    )
    row[COAT_COLOR : COAT_COLOR + 3] = value["clearcoat_color"]
    seen = any(
        name in material.inputs
        for name in ("sheen_color", "subsurface", "diffuse_transmission", "anisotropy", "clearcoat_normal")
    )
    row[SOLID] = "transmission" in material.inputs and is_solid(material)
    row[PLAIN] = not seen


def _layer_rows(name: str, given: Input, textures: _Textures, strength: float) -> list[list[float]]:
    rows = []
    for layer in given.layers if name not in VECTORS else ():
        texture, mask = textures.add(name, Input((1.0,), layer.texture)), -1
        if layer.mask is not None:
            mask = textures.add("opacity", Input((1.0,), layer.mask))
        if texture >= 0 and (mask >= 0 or layer.mask is None):
            scale = 1.0 if layer.blend == "multiply" else strength
            scale *= textures.top(Input((1.0,), layer.texture))
            factor = [f * scale for f in (layer.factor if len(layer.factor) == 3 else layer.factor[:1] * 3)]
            rows.append(
                [texture, mask, BLENDS.index(layer.blend), layer.weight, *factor, float(layer.bounded)]
            )
    return rows


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


def _own_tangents(primitive: Primitive, matrix: Any, made: Any) -> Any:
    """The tangents that a mesh brings along, in the world; those made from the UVs where they are no
    directions (glTF 2.0, 3.7.2.1).
    """
    given = primitive.tangents
    assert given is not None
    turned = given[:, :3].astype(np.float64) @ matrix[:3, :3].T
    length = np.linalg.norm(turned, axis=1)
    sound = np.isfinite(length) & (length > 1e-9) & (np.abs(given[:, 3]) > 0.5)
    # A mirroring transform turns normals and faces over, and with them the side that the bitangent lies on.
    hand = np.sign(given[:, 3:])
    own = np.concatenate([turned / np.maximum(length, 1e-30)[:, None], hand], axis=1)
    return np.where(sound[:, None], own, made).astype(np.float32)


def flatten(scene: Scene, kept: Literal["together", "apart", "straight"] = "together") -> FlatScene:
    """World-space arrays of everything that can be seen, skins posed. Missing normals are flat as glTF 2.0
    asks; missing UVs are zero.

    Light is kept in one layer; ``apart`` in one for every lamp, for the environment and for what glows;
    ``straight`` in one for what comes straight from lamps and one for all the rest.
    """
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
    columns: dict[str, list[Any]] = {
        key: []
        for key in (
            "positions",
            "normals",
            "tangents",
            "colors",
            "uv0",
            "uv1",
            "uv2",
            "triangles",
            "material",
            "part",
            "layer",
        )
    }
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
                columns["tangents"].append(
                    _own_tangents(primitive, matrix, tangents(moved, normals, uv0, indices))
                )
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
            columns["triangles"].append(indices.astype(np.int64) + start)
            columns["material"].append(
                np.full(len(indices), number.get(primitive.material or "", len(materials) - 1), np.int32)
            )
            columns["part"].append(np.full(len(indices), part_number, np.int32))
            columns["layer"].append(
                np.full(
                    len(indices), layer_of.get(part.id, layer_of.get("glow", layer_of.get(REST, 0))), np.int64
                )
            )
            start += count

    def joined(key: str, width: int, kind: Any) -> Any:
        shape = (0, width) if width else (0,)
        return (
            np.ascontiguousarray(np.concatenate(columns[key]).astype(kind, copy=False))
            if columns[key]
            else np.zeros(shape, kind)
        )

    textures = _Textures(scene)
    received, probes = _received(scene, parts, textures)
    table, slots, spans, layers = _material_rows(scene, materials, textures)
    words, floats, eight, sixteen = textures.arrays()
    picture, turn = surrounding(scene, scene.environment) or (np.zeros((1, 1, 3), np.float32), 0.0)
    behind, behind_turn = surrounding(scene, scene.backdrop) or (picture, turn)
    rest = layer_of.get(REST, 0)
    rows, env_columns, density = environment_tables(picture)
    bright = table[:, 3 * EMISSION : 3 * EMISSION + 3] @ np.array(LUMINANCE)
    positions, triangles, triangle_material = (
        joined("positions", 3, np.float32),
        joined("triangles", 3, np.int64),
        joined("material", 0, np.int32),
    )
    arrays = SceneArrays(
        positions,
        joined("normals", 3, np.float32),
        joined("tangents", 4, np.float32),
        joined("colors", 4, np.float32),
        joined("uv0", 2, np.float32),
        joined("uv1", 2, np.float32),
        joined("uv2", 2, np.float32),
        triangles,
        triangle_material,
        joined("part", 0, np.int32),
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
        picture,
        rows,
        env_columns.reshape(-1),
        density,
        np.array([np.cos(turn), np.sin(turn)]),
        behind,
        np.array([np.cos(behind_turn), np.sin(behind_turn)]),
        openings_of(scene),
        probes,
        np.array([rest, layer_of.get("backdrop", rest)]),
        joined("layer", 0, np.int64),
        *albedos(),
        *glow_tables(positions, triangles, bright[triangle_material]),
    )
    rays = RayScene(arrays.positions, arrays.triangles.astype(np.uint32))
    return FlatScene(arrays, rays, tuple(m.id for m in materials), tuple(p.id for p in parts), names)
