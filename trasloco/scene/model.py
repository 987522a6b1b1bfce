"""The neutral scene: what every reader makes and every writer takes.

Right-handed, Y up, metres, linear Rec.709 values, counter-clockwise front faces, texture V running down as in
glTF 2.0
(v = 0 is the top row of an image). A scene that was just received may still be in its file's own unit and
axis; ``unit_m``
and ``up_axis`` say which, and :func:`trasloco.mends.settling.settle` brings it to neutral.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from trasloco.scene.images import Image
from trasloco.scene.lit import Backdrop, Camera, Environment, Light, Probe

Floats = npt.NDArray[np.float32]
Doubles = npt.NDArray[np.float64]
Indices = npt.NDArray[np.uint32]

Origin = Literal["decision", "file", "sheet", "guess"]
AlphaMode = Literal["opaque", "mask", "blend"]
Payload = Mapping[str, Any]


@dataclass(frozen=True)
class Declared:
    """A value together with who said so (see "Who is believed" in the design)."""

    value: Any
    origin: Origin
    evidence: str = ""


@dataclass(frozen=True)
class Texture:
    """How an image feeds an input.

    Attributes:
        image: id of the image.
        channels: which channels are read, ``"rgb"`` or one of ``"r" "g" "b" "a"``.
        encoding: ``"srgb"`` for colour stored by IEC 61966-2-1, else ``"linear"``.
        space: another colour space the texels are stored in, a key of :data:`trasloco.scene.spaces.SPACES`;
            empty when ``encoding`` says it all.
        invert: read ``1 - texel`` (gloss as roughness). curve, curve_top: how gloss is stored, see
            :func:`trasloco.scene.color.roughness_of_gloss`.
        green_up: for normals, whether +Y of tangent space is green = 1 (the glTF convention).
        strength: normal scale or occlusion strength as in glTF 2.0; for height, the relief depth as a
            fraction of one
            repeat of the image.
        floor: what black stands for where it is more than nothing, as a share of white: a texel t is read as
            floor + (1 - floor) t.
        offset, rotation_rad, scale: KHR_texture_transform. stretch: after it, places are stretched along v
            about
            the middle: a picture that is not square keeps its shape when it is turned. Only layers have it.
        wrap: addressing along u and v.
    """

    image: str
    channels: str = "rgb"
    encoding: Literal["srgb", "linear"] = "linear"
    uv_set: int = 0
    offset: tuple[float, float] = (0.0, 0.0)
    rotation_rad: float = 0.0
    scale: tuple[float, float] = (1.0, 1.0)
    wrap: tuple[str, str] = ("repeat", "repeat")
    invert: bool = False
    green_up: bool = True
    strength: float = 1.0
    space: str = ""
    curve: Literal["linear", "squared", "exponent", "scaled"] = "linear"
    curve_top: float = 1024.0
    stretch: float = 1.0
    floor: float = 0.0


Blend = Literal["over", "multiply", "add", "screen"]


@dataclass(frozen=True)
class Layer:
    """An image laid over an input, a decal or a wash: value + weight x mask x (blend(value, layer) - value),
    see :mod:`trasloco.scene.layers`.

    The layer is factor x texture; ``mask`` is one channel, fully there without. A ``bounded`` layer is there
    once, and ends at the border of its image.
    """

    texture: Texture
    factor: tuple[float, ...]
    mask: Texture | None = None
    blend: Blend = "over"
    weight: float = 1.0
    bounded: bool = False


@dataclass(frozen=True)
class Input:
    """Constant factor x texture x vertex colour, with layers over it, lowest first: the one shape of every
    material input.
    """

    factor: tuple[float, ...]
    texture: Texture | None = None
    vertex_color: bool = False
    origin: Origin = "file"
    layers: tuple[Layer, ...] = ()

    @property
    def textures(self) -> tuple[Texture, ...]:
        """Every image it reads: its own, then those of its layers and their masks."""
        held = [self.texture, *(t for layer in self.layers for t in (layer.texture, layer.mask))]
        return tuple(t for t in held if t is not None)

    def retextured(self, change: Callable[[Texture], Texture]) -> Input:
        """The input with every texture changed."""
        layers = tuple(
            replace(one, texture=change(one.texture), mask=change(one.mask) if one.mask is not None else None)
            for one in self.layers
        )
        return replace(
            self, texture=change(self.texture) if self.texture is not None else None, layers=layers
        )


@dataclass(frozen=True)
class Material:
    """Inputs by name (see :data:`trasloco.inputs.table.INPUTS`); an absent input has its default.

    ``alpha_cutoff`` counts only when ``alpha_mode`` is ``mask``. ``back`` is the id of another material seen
    from behind.
    """

    id: str
    name: str
    inputs: Mapping[str, Input] = field(default_factory=dict)
    alpha_mode: AlphaMode = "opaque"
    alpha_cutoff: float = 0.5
    double_sided: bool = False
    unlit: bool = False
    back: str | None = None
    payload: Payload = field(default_factory=dict)


@dataclass(frozen=True)
class MorphTarget:
    """Displacements in the primitive's own space, each (N, 3) or None."""

    positions: Floats | None
    normals: Floats | None = None


@dataclass(frozen=True)
class Primitive:
    """Triangles with one material.

    Attributes:
        positions: (N, 3). indices: (M, 3). normals: (N, 3) unit or None. tangents: (N, 4) or None, w is the
            bitangent sign.
        uvs: one (N, 2) array a set. colors: (N, 4) linear RGBA or None.
        joints: (N, 4) indices into the skin's joints or None. weights: (N, 4) or None.
        variants: material id by variant name, where another variant than the first wears another material.
    """

    positions: Floats
    indices: Indices
    normals: Floats | None = None
    tangents: Floats | None = None
    uvs: tuple[Floats, ...] = ()
    colors: Floats | None = None
    joints: npt.NDArray[np.uint16] | None = None
    weights: Floats | None = None
    morphs: tuple[MorphTarget, ...] = ()
    material: str | None = None
    variants: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Mesh:
    id: str
    name: str
    primitives: tuple[Primitive, ...]
    morph_names: tuple[str, ...] = ()
    payload: Payload = field(default_factory=dict)


@dataclass(frozen=True)
class Tags:
    """What a destination may want to know of a part beyond its look. Empty or None is unsaid.

    Attributes:
        surface: what it is made of, for sound and marks, in the artist's words. collision: ``box``, ``hull``,
            ``pieces`` or ``mesh``, or ``none`` for no obstacle.
        still: whether it never moves. casts_shadow: whether light is stopped by it.
    """

    surface: str = ""
    collision: str = ""
    still: bool | None = None
    casts_shadow: bool | None = None


@dataclass(frozen=True)
class Lightmap:
    """Light that a part receives, written down: illuminance in lux is ``level`` times an image on a UV set,
    whose square lies at uv x scale + offset of the image.

    ``direction`` is an image of the same layout that tells from where most of it comes, in the world: 2 x - 1
    is a direction, as long as its share of the light.
    """

    image: str
    uv_set: int = 1
    scale: tuple[float, float] = (1.0, 1.0)
    offset: tuple[float, float] = (0.0, 0.0)
    level: float = 1.0
    direction: str = ""


@dataclass(frozen=True)
class Cloud:
    """Points, or lines between them, that are drawn as such and have no faces.

    Attributes:
        positions: (N, 3) float32 in the node's own space. lines: (M, 2) uint32, two points each, empty for
            points alone. colors: (N, 4) float32 linear, or None.
        width_m: how wide they are drawn, 0 for as thin as can be.
    """

    id: str
    name: str
    positions: Floats
    lines: Indices = field(default_factory=lambda: np.zeros((0, 2), np.uint32))
    colors: Floats | None = None
    width_m: float = 0.0


@dataclass(frozen=True)
class Obstacle:
    """A shape that stands for a part where things collide: points (N, 3) and triangles (M, 3) that look out,
    in the part's own space.
    """

    positions: Floats
    indices: Indices


@dataclass(frozen=True)
class Node:
    """A place in the tree.

    ``matrix`` is local to parent, column vectors, (4, 4); ``layers`` are the sets the source put it in; what
    is ``probed`` takes its light from the scene's probes; ``obstacles`` are shapes that a file has for it;
    ``shape_weights`` is how much each shape of its mesh is on at rest, none where all are off.
    """

    id: str
    name: str
    parent: str | None
    matrix: Doubles
    mesh: str | None = None
    light: str | None = None
    camera: str | None = None
    skin: str | None = None
    layers: tuple[str, ...] = ()
    payload: Payload = field(default_factory=dict)
    tags: Tags = Tags()
    lightmap: Lightmap | None = None
    probed: bool = False
    cloud: str | None = None
    obstacles: tuple[Obstacle, ...] = ()
    shape_weights: tuple[float, ...] = ()


@dataclass(frozen=True)
class Skin:
    id: str
    name: str
    joints: tuple[str, ...]
    inverse_bind: Doubles
    skeleton: str | None = None


@dataclass(frozen=True)
class Channel:
    """Key frames of one property. ``values`` is (K, C), or (K, 3, C) for CUBICSPLINE as in glTF 2.0."""

    node: str
    path: Literal["translation", "rotation", "scale", "weights"]
    times_s: Floats
    values: Floats
    interpolation: Literal["LINEAR", "STEP", "CUBICSPLINE"] = "LINEAR"


@dataclass(frozen=True)
class Clip:
    id: str
    name: str
    channels: tuple[Channel, ...]


@dataclass(frozen=True)
class Scene:
    """Everything that travels.

    Lookup by id through the mappings; ``nodes`` keeps parents before children; ``frame_rate`` is frames a
    second, where stated.
    """

    name: str
    nodes: Mapping[str, Node] = field(default_factory=dict)
    meshes: Mapping[str, Mesh] = field(default_factory=dict)
    materials: Mapping[str, Material] = field(default_factory=dict)
    images: Mapping[str, Image] = field(default_factory=dict)
    lights: Mapping[str, Light] = field(default_factory=dict)
    cameras: Mapping[str, Camera] = field(default_factory=dict)
    skins: Mapping[str, Skin] = field(default_factory=dict)
    clips: Mapping[str, Clip] = field(default_factory=dict)
    environment: Environment | None = None
    unit_m: Declared = Declared(1.0, "guess")
    up_axis: Declared = Declared("Y", "guess")
    declares: frozenset[str] = frozenset()
    loose_images: tuple[str, ...] = ()
    variants: tuple[str, ...] = ()
    payload: Payload = field(default_factory=dict)
    probes: tuple[Probe, ...] = ()
    backdrop: Backdrop | None = None
    frame_rate: float | None = None
    clouds: Mapping[str, Cloud] = field(default_factory=dict)

    def parts(self) -> list[Node]:
        """Nodes with geometry, in order."""
        return [node for node in self.nodes.values() if node.mesh is not None]

    def world_matrices(self) -> dict[str, Doubles]:
        """Node id to its (4, 4) local-to-world matrix."""
        world: dict[str, Doubles] = {}
        for node in self.nodes.values():
            world[node.id] = world[node.parent] @ node.matrix if node.parent is not None else node.matrix
        return world

    def with_material(self, material: Material) -> Scene:
        return replace(self, materials={**self.materials, material.id: material})


BYTE_COLORS = "byte_colors"
"""Declared by readers of formats that keep vertex colours as bytes and do not say what these mean."""


@dataclass(frozen=True)
class Decision:
    """What the artist overruled: a value for a field of a target. Later decisions outrank earlier ones."""

    target: str
    field: str
    value: Any


DEFAULT_MATERIAL = Material(
    "material:none",
    "No material",
    {"base_color": Input((0.5, 0.5, 0.5), origin="guess"), "roughness": Input((0.8,), origin="guess")},
)
