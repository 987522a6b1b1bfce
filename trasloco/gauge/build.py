"""Boards put together: cells with props, each wearing materials of its own cell, marks, a dark wall and a
camera.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from trasloco.gauge import layout
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.lit import Camera, Environment, Light
from trasloco.scene.model import (
    AlphaMode,
    Declared,
    Doubles,
    Floats,
    Input,
    Material,
    Mesh,
    Node,
    Primitive,
    Scene,
    Texture,
)
from trasloco.scene.transforms import compose, looking

WALL_Z, DARK = -0.3, 0.02


@dataclass(frozen=True)
class Board:
    """One picture of the gauge: its scene, and which cells it has by key."""

    key: str
    title: str
    scene: Scene
    cells: Mapping[str, tuple[int, int]]
    by_hand: str = ""
    """What the files do not bring along wherever they go, and the artist sets."""


def cell_of(name: str) -> str:
    """The cell that a part, mesh, material or lamp belongs to, by its name; writers may have put an ending."""
    return name.split("-")[0].split(".")[0]


@dataclass
class Builder:
    """A board in the making. Things of a cell are named ``cell-n``."""

    key: str
    title: str
    nodes: dict[str, Node] = field(default_factory=dict)
    meshes: dict[str, Mesh] = field(default_factory=dict)
    materials: dict[str, Material] = field(default_factory=dict)
    images: dict[str, Image] = field(default_factory=dict)
    lights: dict[str, Light] = field(default_factory=dict)
    cells: dict[str, tuple[int, int]] = field(default_factory=dict)
    environment: Environment | None = None
    by_hand: str = ""

    def cell(self, key: str, at: tuple[int, int] | None = None) -> tuple[float, float]:
        """The middle of a cell by column and row, or of the next free one, which gets this key."""
        if at is None:
            taken = set(self.cells.values())
            free = (divmod(k, layout.COLUMNS)[::-1] for k in range(layout.COLUMNS * layout.ROWS))
            at = next(one for one in free if one not in taken)
        self.cells[key] = at
        return layout.cell_place(*at)

    def image(self, name: str, texels: Any, kind: str = "png") -> str:
        array = np.ascontiguousarray(texels if np.ndim(texels) == 3 else np.asarray(texels)[..., None])
        id = f"image:{name}"
        self.images[id] = identify(id, f"{name}.{kind}", f"{name}.{kind}", encode(array, kind))
        return id

    def material(
        self, cell: str, alpha_mode: AlphaMode = "opaque", double_sided: bool = False, **inputs: Any
    ) -> str:
        """A dull dark surface, but for what is given: numbers or inputs."""
        count = sum(cell_of(m.name) == cell for m in self.materials.values())
        name = f"{cell}-{count + 1}"
        plain: dict[str, Any] = {
            "base_color": (0.0,) * 3,
            "roughness": (1.0,),
            "metalness": (0.0,),
            "specular": (0.0,),
        }
        made = {
            k: v if isinstance(v, Input) else Input(v)
            for k, v in {**plain, **inputs}.items()
            if v is not None
        }
        id = f"material:{name}"
        self.materials[id] = Material(id, name, made, alpha_mode, 0.5, double_sided)
        return id

    def put(self, cell: str, shape: Primitive, material: str, matrix: Doubles) -> None:
        count = sum(cell_of(n.name) == cell and n.mesh is not None for n in self.nodes.values())
        name = f"{cell}-{count + 1}"
        self.meshes[f"mesh:{name}"] = Mesh(f"mesh:{name}", name, (replace(shape, material=material),))
        self.nodes[f"part:{name}"] = Node(f"part:{name}", name, None, matrix, mesh=f"mesh:{name}")

    def panel(
        self,
        cell: str,
        material: str,
        x: float,
        y: float,
        side: float = layout.INSIDE,
        z: float = 0.0,
        **more: Any,
    ) -> None:
        self.put(cell, panel(side, **more), material, compose((x, y, z)))

    def light(self, cell: str, kind: Any, eye: Any, target: Any, **fields: Any) -> None:
        name = f"{cell}-lamp"
        light = Light(f"light:{name}", name, kind, **fields)
        self.lights[light.id] = light
        up = (0, 1, 0) if abs(eye[0] - target[0]) + abs(eye[2] - target[2]) > 1e-6 else (0, 0, 1)
        self.nodes[f"part:{name}"] = Node(
            f"part:{name}", name, None, looking(eye, target, up), light=light.id
        )

    def done(self) -> Board:
        self._wall()
        self._marks()
        camera = Camera("camera:gauge", f"gauge {self.key}", layout.YFOV_RAD, 16 / 9)
        view = layout.board_view(camera.name)
        self.nodes["part:camera"] = Node("part:camera", camera.name, None, view.matrix, camera=camera.id)
        made = Scene(
            f"gauge-{self.key}",
            self.nodes,
            self.meshes,
            self.materials,
            self.images,
            self.lights,
            {camera.id: camera},
            environment=self.environment,
            unit_m=Declared(1.0, "file"),
            up_axis=Declared("Y", "file"),
            declares=frozenset({"unit", "up_axis", "roughness", "green", "vertex_color"}),
        )
        return Board(self.key, self.title, made, self.cells, self.by_hand)

    def _wall(self) -> None:
        wears = self.material("wall", base_color=(DARK,) * 3)
        wall = panel(1.0)
        matrix = compose((0, 0, WALL_Z)) @ np.diag(
            [layout.FRAME_WIDTH * 1.4, layout.FRAME_HEIGHT * 1.4, 1, 1]
        )
        self.put("wall", wall, wears, matrix)

    def _marks(self) -> None:
        """White by colour and by glow, so that they show under any light; on dark discs."""
        white = self.material("mark", base_color=(0.9,) * 3, emission=(0.9,) * 3, emission_strength=(1.0,))
        black = self.material("mark", base_color=(0.005,) * 3)
        for (x, y), key in zip(layout.mark_places(), layout.mark_keys(), strict=True):
            r = layout.MARK_RADIUS
            dot = layout.BIG_DOT if key else layout.DOT
            self.put("mark", ring(0.0, 1.25 * r), black, compose((x, y, 0.8 * layout.MARK_Z)))
            self.put("mark", ring(layout.RING * r, r), white, compose((x, y, layout.MARK_Z)))
            self.put("mark", ring(0.0, dot * r), white, compose((x, y, layout.MARK_Z)))


def panel(
    side: float,
    colors: tuple[float, float, float] | None = None,
    uv: Floats | None = None,
    second: Floats | None = None,
    back: bool = False,
) -> Primitive:
    """A square that faces +Z, or away from it; V runs down."""
    s = side / 2
    positions = np.array([[-s, s, 0], [s, s, 0], [-s, -s, 0], [s, -s, 0]], np.float32)
    first = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32) if uv is None else uv
    indices = np.array([[0, 2, 1], [1, 2, 3]], np.uint32)
    return Primitive(
        positions,
        indices[:, ::-1].copy() if back else indices,
        np.tile(np.array([0, 0, -1 if back else 1], np.float32), (4, 1)),
        None,
        (first,) if second is None else (first, second),
        None if colors is None else np.tile(np.array([*colors, 1], np.float32), (4, 1)),
    )


def ring(inner: float, outer: float, steps: int = 40) -> Primitive:
    """A flat ring, or a disc, that faces +Z."""
    angle = np.arange(steps) * 2 * math.pi / steps
    circle = np.stack([np.cos(angle), np.sin(angle), np.zeros(steps)], axis=-1)
    positions = np.concatenate([circle * inner, circle * outer]).astype(np.float32)
    a, b = np.arange(steps), (np.arange(steps) + 1) % steps
    outer_half = np.stack([a, a + steps, b + steps], axis=-1)
    inner_half = np.stack([a, b + steps, b], axis=-1) if inner > 0 else np.zeros((0, 3), np.int64)
    return Primitive(
        positions,
        np.concatenate([outer_half, inner_half]).astype(np.uint32),
        np.tile(np.array([0, 0, 1], np.float32), (len(positions), 1)),
        None,
        ((positions[:, :2] / (2 * outer) + 0.5).astype(np.float32),),
    )


def ball(radius: float, steps: int = 48) -> Primitive:
    """A sphere; U runs round it, V from its top down."""
    v, u = np.meshgrid(np.linspace(0, 1, steps // 2 + 1), np.linspace(0, 1, steps + 1), indexing="ij")
    polar, around = v * math.pi, u * 2 * math.pi
    normals = np.stack(
        [np.sin(polar) * np.sin(around), np.cos(polar), np.sin(polar) * np.cos(around)], axis=-1
    )
    rows, columns = steps // 2, steps
    at = (np.arange(rows)[:, None] * (columns + 1) + np.arange(columns)[None]).ravel()
    quads = np.concatenate(
        [
            np.stack([at, at + columns + 1, at + 1], axis=-1),
            np.stack([at + 1, at + columns + 1, at + columns + 2], axis=-1),
        ]
    )
    flat = normals.reshape(-1, 3)
    corners = flat[quads]
    whole = (
        np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) > 1e-9
    )
    return Primitive(
        (flat * radius).astype(np.float32),
        quads[whole].astype(np.uint32),
        flat.astype(np.float32),
        None,
        (np.stack([u, v], axis=-1).reshape(-1, 2).astype(np.float32),),
    )


def image_input(image: str, channels: str = "rgb", encoding: Any = "linear", **fields: Any) -> Input:
    """An input that is an image alone."""
    return Input((1.0,) * (3 if channels == "rgb" else 1), Texture(image, channels, encoding, **fields))
