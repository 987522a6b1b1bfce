"""What the kernels read: a scene as flat arrays, and what the numbers in them stand for."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

from trasloco.rays.by_address import ByAddress
from trasloco.rays.embree import RayScene
from trasloco.render.shared_rays import rays_of


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
    environment (H, W, 4) in nit, and density over solid angle; env_rows, env_columns: tables to pick a
    row, and a column of each (:func:`trasloco.render.sampling.picking`); env_edges (H + 1,): cosines of rows'
    edges; env_turn: cosine and sine;
    backdrop (h, w, 3 or more) in nit, backdrop_turn: what is seen where nothing stands;
    openings (Q, 13): corner, two edges, normal and area of where the environment comes in;
    probes (K, 9, 3): light for parts that move, lux by normal (scene/harmonics.py);
    sky_layer (2,), triangle_layer (T,): layer that the environment's, the backdrop's and a glowing triangle's
    light is kept in;
    metal, reflected, through, cloth, brushed: see :class:`trasloco.render.closures.tables.Albedos`;
    glow_triangles (G,) that emit, glow_picking: a table to pick them by power, glow_density (T,) of picking a
    point of a triangle, per square metre, 0 for dark ones.
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
    env_edges: Any
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
    glow_picking: Any
    glow_density: Any


@dataclass(frozen=True)
class FlatScene:
    """Arrays, the ray scene over them, and what the numbers in them stand for."""

    arrays: SceneArrays
    rays: RayScene
    material_ids: tuple[str, ...]
    part_ids: tuple[str, ...]
    layers: tuple[str, ...] = ("all",)

    def __reduce__(self) -> Any:
        """Sent without its ray scene, which is made again from its triangles, to the same bit."""
        return _made_again, (tuple(self.arrays), self.material_ids, self.part_ids, self.layers)

    @cached_property
    def held(self) -> ByAddress:
        """The arrays as kernels are handed them."""
        return ByAddress(self.arrays)

    @property
    def content(self) -> tuple[Any, ...]:
        """What tells it from others."""
        return (tuple(self.arrays), self.material_ids, self.part_ids, self.layers)


def _made_again(
    arrays: tuple[Any, ...], materials: tuple[str, ...], parts: tuple[str, ...], layers: tuple[str, ...]
) -> FlatScene:
    held = SceneArrays(*arrays)
    return FlatScene(held, rays_of(held.positions, held.triangles), materials, parts, layers)
