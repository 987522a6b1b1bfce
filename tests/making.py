"""Small scenes and files that tests are built from."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings

from demo.build import write
from trasloco.keeping import keep_from_now_on
from trasloco.results.store import MemoryStore
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Declared, Input, Material, Mesh, Node, Primitive, Scene, Texture

keep_from_now_on(MemoryStore(2**29))
"""What many tests make alike is made once a process, as it is in the application."""
DECLARED = frozenset({"unit", "up_axis", "roughness", "green", "vertex_color"})


def image(name: str, texels: Any, kind: str = "png") -> Image:
    array = np.asarray(texels)
    return identify(
        f"image:{name}",
        f"{name}.{kind}",
        f"{name}.{kind}",
        encode(array if array.ndim == 3 else array[..., None], kind),
    )


def noise_image(
    name: str, height: int = 16, width: int = 16, channels: int = 3, depth: Any = np.uint8, seed: int = 7
) -> Image:
    return image(
        name,
        np.random.default_rng(seed)
        .integers(0, np.iinfo(depth).max, (height, width, channels), endpoint=True)
        .astype(depth),
    )


def quad(size: float = 1.0, material: str = "material:m", colors: Any = None) -> Primitive:
    """A square in the XZ plane that looks up, UVs over the whole image."""
    s = size / 2
    positions = np.array([[-s, 0, -s], [s, 0, -s], [-s, 0, s], [s, 0, s]], np.float32)
    uv = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32)
    normals = np.tile(np.array([[0, 1, 0]], np.float32), (4, 1))
    tint = None if colors is None else np.tile(np.array([*colors, 1], np.float32), (4, 1))
    return Primitive(
        positions, np.array([[0, 2, 1], [1, 2, 3]], np.uint32), normals, None, (uv,), tint, material=material
    )


def cube(size: float = 1.0, material: str = "material:m", outward: bool = True) -> Primitive:
    """A closed box with eight shared corners, looking out (or in)."""
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float32) * size / 2
    sides = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
    triangles = np.array([t for a, b, c, d in sides for t in ((a, b, c), (a, c, d))], np.uint32)
    return Primitive(
        corners, triangles if outward else triangles[:, ::-1], None, None, (), None, material=material
    )


def scene(
    *primitives: Primitive,
    materials: tuple[Material, ...] = (),
    images: tuple[Image, ...] = (),
    names: tuple[str, ...] = (),
    lights: tuple[tuple[Light, Any], ...] = (),
    environment: Environment | None = None,
) -> Scene:
    """One part a primitive, named part-1, part-2, …, or as given."""
    labels = names or tuple(f"Thing {k + 1}" for k in range(len(primitives)))
    nodes = {f"part:{n}": Node(f"part:{n}", n, None, np.eye(4), mesh=f"mesh:{n}") for n in labels}
    nodes |= {
        f"part:{light.name}": Node(f"part:{light.name}", light.name, None, matrix, light=light.id)
        for light, matrix in lights
    }
    return Scene(
        "test",
        nodes,
        {f"mesh:{n}": Mesh(f"mesh:{n}", n, (p,)) for n, p in zip(labels, primitives)},
        {m.id: m for m in (materials or (material(),))},
        {i.id: i for i in images},
        {light.id: light for light, _ in lights},
        environment=environment,
        unit_m=Declared(1.0, "file"),
        up_axis=Declared("Y", "file"),
        declares=DECLARED,
    )


def material(
    name: str = "m", alpha_mode: str = "opaque", double_sided: bool = False, **inputs: Any
) -> Material:
    """Inputs as tuples (constants), textures, or inputs."""
    made = {}
    for key, value in inputs.items():
        channels = 3 if key in ("base_color", "emission", "normal", "sheen_color") else 1
        made[key] = (
            value
            if isinstance(value, Input)
            else Input((0.0, 0.0, 1.0) if key == "normal" else (1.0,) * channels, value)
            if isinstance(value, Texture)
            else Input(value)
        )
    made.setdefault("base_color", Input((0.5, 0.5, 0.5)))
    made.setdefault("roughness", Input((1.0,)))
    made.setdefault("metalness", Input((0.0,)))
    return Material(f"material:{name}", name, made, alpha_mode, 0.5, double_sided)  # type: ignore[arg-type]


def sky(value: float = 1.0) -> Image:
    """A constant environment picture."""
    return image("sky", np.full((8, 16, 3), value, np.float32), "exr")


def demo_stage() -> Path:
    """The stage that is baked."""
    return write(Path(settings.DATA_DIR) / "demo")[3]


@cache
def demo_files() -> tuple[Path, Path, Path]:
    """Clean GLB, environment, received zip."""
    first, second, third, _ = write(Path(settings.DATA_DIR) / "demo")
    return first, second, third
