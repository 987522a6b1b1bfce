"""Our sample: a small lit piece of one material.

A sheet hung over a rod, its back visible at the curl, a carved bead at the end.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from functools import cache

import numpy as np
import numpy.typing as npt

from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render
from trasloco.scene.geometry import smooth_normals
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.lit import Environment
from trasloco.scene.model import Input, Material, Mesh, Node, Primitive, Scene
from trasloco.scene.tangent_frames import tangents
from trasloco.scene.transforms import looking

EV100 = 3.0
VIEW = View("sample", looking((0.55, 0.42, 3.1), (0.05, 0.06, 0)), 0.42)
_ROD = Material(
    "sample:rod",
    "rod",
    {"base_color": Input((0.05, 0.05, 0.05)), "roughness": Input((0.4,))},
    double_sided=True,
)


def _grid(points: npt.NDArray[np.float64], uv: npt.NDArray[np.float64]) -> Primitive:
    """A (rows, columns, 3) sheet with (rows, columns, 2) UVs; the front is where columns x -rows points."""
    rows, columns = points.shape[:2]
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = (
        index[:-1, :-1].ravel(),
        index[:-1, 1:].ravel(),
        index[1:, :-1].ravel(),
        index[1:, 1:].ravel(),
    )
    triangles = np.concatenate([np.stack([a, c, b], 1), np.stack([b, c, d], 1)]).astype(np.uint32)
    flat = points.reshape(-1, 3).astype(np.float32)
    placed, normals = uv.reshape(-1, 2).astype(np.float32), smooth_normals(flat, triangles)
    return Primitive(flat, triangles, normals, tangents(flat, normals, placed, triangles), (placed,))


def _sheet() -> Primitive:
    """Profile from behind the rod, over it, down the front, and curling forward at the end so that the back
    shows.
    """
    over = [(0.07 * np.cos(a), 0.5 + 0.07 * np.sin(a)) for a in np.linspace(np.pi, 0, 14)]
    behind = [(-0.07, y) for y in np.linspace(0.1, 0.48, 8)]
    front = [(0.07 + 0.02 * np.sin((0.48 - y) * 5), y) for y in np.linspace(0.48, -0.36, 26)]
    z0, y0 = front[-1]
    curl = [(z0 + 0.13 * (1 - np.cos(a)), y0 - 0.13 * np.sin(a)) for a in np.linspace(0.1, 2.5, 20)]
    profile = np.array(behind + over + front + curl)
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))])
    across = np.linspace(-0.42, 0.34, 34)
    z = profile[:, :1] + 0.022 * np.sin(across * 16)[None] * np.clip((0.5 - profile[:, 1:]) * 2, 0, 1)
    points = np.stack(
        [np.broadcast_to(across, z.shape), np.broadcast_to(profile[:, 1:], z.shape), z], axis=-1
    )
    uv = np.stack(
        [np.broadcast_to((across + 0.42) / 0.76, z.shape), np.broadcast_to(length[:, None] / 0.76, z.shape)],
        axis=-1,
    )
    return _grid(points, uv)


def _bead() -> Primitive:
    """A turned bead with carved flutes."""
    v = np.linspace(0, 1, 26)[:, None]
    u = np.linspace(0, 1, 57)[None]
    angle, height = u * 2 * np.pi, (0.5 - v) * np.pi
    radius = 0.13 * (1 - 0.09 * np.cos(angle * 8) * np.cos(height) ** 2)
    points = np.stack(
        [
            0.47 + radius * np.cos(height) * np.sin(angle),
            0.5 + radius * np.sin(height) + 0 * u,
            radius * np.cos(height) * np.cos(angle),
        ],
        axis=-1,
    )
    return _grid(
        points,
        np.stack([np.broadcast_to(u * 2, points.shape[:2]), np.broadcast_to(v, points.shape[:2])], axis=-1),
    )


def _rod() -> Primitive:
    v, u = np.array([0.0, 1.0])[:, None], np.linspace(0, 1, 25)[None]
    angle = u * 2 * np.pi
    points = np.stack(
        [-0.5 + 0.9 * (1 - v) + 0 * u, 0.5 + 0.062 * np.sin(angle) + 0 * v, 0.062 * np.cos(angle) + 0 * v],
        axis=-1,
    )
    return _grid(points, np.zeros((*points.shape[:2], 2)))


@cache
def _shape() -> tuple[Primitive, Primitive, Primitive]:
    return _sheet(), _bead(), _rod()


@cache
def _surroundings() -> Image:
    """Mid-grey booth with a soft key from the left above and a thin rim light from the right behind, radiance
    relative to the booth.
    """
    rows, columns = 64, 128
    theta = (np.arange(rows) + 0.5) / rows * np.pi
    phi = ((np.arange(columns) + 0.5) / columns - 0.5) * 2 * np.pi
    p, t = np.meshgrid(phi, theta)
    picture = np.full((rows, columns, 3), 0.355, np.float32)
    picture[(np.abs(p + 2.3) < 0.5) & (np.abs(t - 0.95) < 0.35)] = 7.0
    picture[(np.abs(p - 1.1) < 0.14) & (np.abs(t - 1.2) < 0.6)] = 5.0
    return identify("sample:surroundings", "surroundings.exr", "surroundings.exr", encode(picture, "exr"))


def sample_scene(scene: Scene, material_id: str) -> Scene:
    """The sample in one material of a scene.

    Plain vertex colours of the material's first part tint it, as they would on the part.
    """
    material = scene.materials[material_id]
    sheet, bead, rod = _shape()
    color = _typical_color(scene, material_id)
    dressed = [
        replace(p, material=material.id, colors=np.tile(color, (len(p.positions), 1))) for p in (sheet, bead)
    ]
    mesh = Mesh("sample", "sample", (*dressed, replace(rod, material=_ROD.id)))
    images = {
        t.image: scene.images[t.image]
        for i in material.inputs.values()
        for t in i.textures
        if t.image in scene.images
    }
    surroundings = _surroundings()
    first_uv = {name: i.retextured(lambda t: replace(t, uv_set=0)) for name, i in material.inputs.items()}
    return Scene(
        "sample",
        {"sample": Node("sample", "sample", None, np.eye(4), mesh="sample")},
        {"sample": mesh},
        {material.id: replace(material, inputs=first_uv), _ROD.id: _ROD},
        {**images, surroundings.id: surroundings},
        environment=Environment(surroundings.id, 6.0),
    )


def as_meant(arrival: Scene, arrived: str, reference: Scene, material: str, names: Iterable[str]) -> Scene:
    """The arrival with some inputs of a material taken from the reference: those whose images were drawn for
    the model's own charts, which the sample has not.
    """
    given = reference.materials[material].inputs
    made = arrival.materials[arrived]
    inputs = {**made.inputs, **{name: given[name] for name in names if name in given}}
    images = {
        t.image: reference.images[t.image]
        for name in names
        if name in given
        for t in given[name].textures
        if t.image in reference.images
    }
    fresh = {f"meant:{id}": replace(image, id=f"meant:{id}") for id, image in images.items()}
    inputs = {
        name: i.retextured(lambda t: replace(t, image=f"meant:{t.image}")) if name in names else i
        for name, i in inputs.items()
    }
    meshes = {
        id: replace(
            mesh,
            primitives=tuple(replace(p, material=arrived) for p in mesh.primitives if p.material == material),
        )
        for id, mesh in reference.meshes.items()
    }
    return replace(
        arrival,
        materials={**arrival.materials, arrived: replace(made, inputs=inputs)},
        images={**arrival.images, **fresh},
        meshes=meshes,
    )


def lit_by(sample: Scene, picture: npt.NDArray[np.floating], name: str) -> Scene:
    """A sample in other surroundings: a latitude-longitude picture (H, W, 3) in nit."""
    id = f"sample:{name}"
    image = identify(id, f"{name}.exr", f"{name}.exr", encode(picture.astype(np.float32), "exr"))
    return replace(sample, images={**sample.images, id: image}, environment=Environment(id, 1.0))


def _typical_color(scene: Scene, material_id: str) -> npt.NDArray[np.float32]:
    for mesh in scene.meshes.values():
        for primitive in mesh.primitives:
            if primitive.material == material_id and primitive.colors is not None and len(primitive.colors):
                return np.asarray(np.median(primitive.colors, axis=0), np.float32)
    return np.ones(4, np.float32)


def render_sample(scene: Scene, material_id: str, side: int = 128, samples: int = 16) -> Picture:
    """The sample's picture, ``side`` pixels square."""
    return render(flatten(sample_scene(scene, material_id)), VIEW, Quality(side, side, samples, 3))
