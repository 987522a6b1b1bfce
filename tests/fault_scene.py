"""A scene without a fault, for faults to be planted in."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import trimesh

from tests.making import DECLARED, image, material
from trasloco.mends.faces import with_normals
from trasloco.scene.lit import Camera
from trasloco.scene.model import Declared, Mesh, Node, Primitive, Scene, Texture
from trasloco.scene.transforms import compose, looking

Random = np.random.Generator


def primitive_of(mesh: Any, material_id: str, hard: float = 0.6) -> Primitive:
    """A trimesh as a primitive with box-projected UVs and normals."""
    made = with_normals(
        Primitive(mesh.vertices.astype(np.float32), mesh.faces.astype(np.uint32), material=material_id), hard
    )
    assert made.normals is not None
    axis = np.abs(made.normals).argmax(axis=1)
    low, span = mesh.vertices.min(axis=0), max(float(np.ptp(mesh.vertices, axis=0).max()), 1e-9)
    p = (made.positions - low) / span * 0.9 + 0.05
    uv = np.stack(
        [np.where(axis == 0, p[:, 2], p[:, 0]), np.where(axis == 1, p[:, 2], p[:, 1])], axis=1
    ).astype(np.float32)
    return replace(made, uvs=(uv + made.positions[:, :1] * 0.013 + made.positions[:, 2:] * 0.017,))


def sheet_of(width: float, height: float, wave: float, rng: Random) -> Any:
    u, v = np.meshgrid(np.linspace(-0.5, 0.5, 16), np.linspace(0, 1, 12))
    points = np.stack(
        [u.ravel() * width, v.ravel() * height, wave * np.sin(u.ravel() * 9 + float(rng.random()))], axis=1
    )
    k = np.arange(11)[:, None] * 16 + np.arange(15)
    a, b, c, d = k.ravel(), k.ravel() + 1, k.ravel() + 16, k.ravel() + 17
    return trimesh.Trimesh(
        points, np.concatenate([np.stack([a, b, d], 1), np.stack([a, d, c], 1)]), process=False
    )


def _shapes(kind: str, rng: Random) -> list[Any]:
    """Meshes of one scene, standing apart."""
    found: list[Any] = []
    for k in range(6):
        size = float(rng.uniform(0.3, 0.8))
        if kind == "boxes":
            mesh = trimesh.creation.box(rng.uniform(0.3, 0.9, 3)).subdivide()
        elif kind == "balls":
            mesh = trimesh.creation.icosphere(subdivisions=2, radius=size / 2)
        elif kind == "rings":
            mesh = trimesh.creation.torus(size * 0.4, size * 0.12, major_sections=24, minor_sections=12)
        elif kind == "rods":
            mesh = trimesh.creation.capsule(size, 0.12, count=[12, 12])
        elif kind == "shells":
            inner = trimesh.creation.icosphere(subdivisions=2, radius=size * 0.3)
            mesh = trimesh.util.concatenate(
                [trimesh.creation.icosphere(subdivisions=2, radius=size * 0.5), inner]
            )
        else:
            mesh = (
                sheet_of(size, size * 1.4, 0.05, rng)
                if k % 2
                else trimesh.creation.cone(size * 0.4, size, sections=24)
            )
        mesh.apply_translation([(k % 3) * 1.7, size, (k // 3) * 1.9])
        found.append(mesh)
    return found


SHAPES = ("boxes", "balls", "rings", "rods", "shells", "sheets")


_NAMES = ("Anvil", "Bellows", "Crown", "Drum", "Easel", "Fiddle")


def relief_heights(rng: Random, side: int = 256) -> np.ndarray:
    """A periodic height field in [0, 1] of waves in all directions."""
    x, y = np.meshgrid(np.arange(side) / side, np.arange(side) / side)
    total = np.zeros((side, side))
    for _ in range(24):
        fx, fy = rng.integers(-9, 10, 2)
        total += rng.normal() * np.sin(2 * np.pi * (fx * x + fy * y + rng.random()))
    return np.asarray((total - total.min()) / np.ptp(total))


def encoded_normals(height: np.ndarray, depth: float) -> np.ndarray:
    """8-bit normal map, green up, of a height field whose rows run down."""
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2 * depth
    dy = -(np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2 * depth
    n = np.stack([-dx, -dy, np.ones_like(dx)], axis=-1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    return np.asarray(np.round((n * 0.5 + 0.5) * 255), np.uint8)


def clean_scene(kind: str, seed: int) -> Scene:
    """Six parts of one shape with two materials: images that are what they say, green up."""
    rng = np.random.default_rng([seed, SHAPES.index(kind)])
    height = relief_heights(rng)
    color = np.stack([60 + 120 * height, 50 + 90 * height, 40 + 60 * height], axis=-1).astype(np.uint8)
    rough = (90 + 130 * (1 - height))[..., None].astype(np.uint8)
    metal = np.where(height > 0.6, 255, 0)[..., None].astype(np.uint8)
    images = (
        image("wood_color", color),
        image("wood_roughness", rough),
        image("wood_normal", encoded_normals(height, 30)),
        image("wood_metalness", metal),
        image("wood_height", (height * 65535)[..., None].astype(np.uint16)),
        image("wood_occlusion", (120 + 135 * height)[..., None].astype(np.uint8)),
    )
    sides = kind == "sheets"
    wood = replace(
        material(
            "Wood",
            base_color=Texture("image:wood_color", "rgb", "srgb"),
            roughness=Texture("image:wood_roughness", "r"),
            normal=Texture("image:wood_normal"),
            metalness=Texture("image:wood_metalness", "r"),
            occlusion=Texture("image:wood_occlusion", "r"),
        ),
        double_sided=sides,
    )
    clay = replace(
        material(
            "Clay",
            base_color=Texture("image:wood_color", "rgb", "srgb"),
            height=Texture("image:wood_height", "r"),
        ),
        double_sided=sides,
    )
    nodes, meshes = {}, {}
    for k, mesh in enumerate(_shapes(kind, rng)):
        name = _NAMES[k]
        primitive = primitive_of(mesh, "material:Wood" if k % 2 else "material:Clay")
        middle = primitive.positions.mean(axis=0)
        nodes[f"part:{name}"] = Node(f"part:{name}", name, None, compose(middle), mesh=f"mesh:{name}")
        meshes[f"mesh:{name}"] = Mesh(
            f"mesh:{name}", name, (replace(primitive, positions=primitive.positions - middle),)
        )
    nodes["part:View"] = Node(
        "part:View", "View", None, looking((2.0, 2.5, 7.0), (1.7, 0.5, 0.9)), camera="camera:View"
    )
    return Scene(
        kind,
        nodes,
        meshes,
        {m.id: m for m in (wood, clay)},
        {i.id: i for i in images},
        cameras={"camera:View": Camera("camera:View", "View", 0.8)},
        unit_m=Declared(1.0, "file"),
        up_axis=Declared("Y", "file"),
        declares=DECLARED,
    )
