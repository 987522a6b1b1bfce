"""Parts of several slots, and what another library finds where they were drawn into one material."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import Any

import numpy as np
import trimesh
from PIL import Image as Picture

from tests.making import image, material, quad, scene, sky
from trasloco.scene.lit import Environment
from trasloco.scene.model import Input, Material, Mesh, Primitive, Scene, Texture
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import changed

SHEETS = built_in_sheets()
PLAIN = SHEETS["plain"]
TOGETHER = {"structure.slots": "one a part"}
LANTERNA, FORNACE, TACCUINO, TELA = (
    changed(SHEETS[name], TOGETHER) for name in ("lanterna", "fornace", "taccuino", "tela")
)
QUARTERS = np.zeros((64, 64, 3), np.uint8)
QUARTERS[:32, :32], QUARTERS[:32, 32:] = (200, 30, 30), (30, 200, 30)
QUARTERS[32:, :32], QUARTERS[32:, 32:] = (30, 30, 200), (220, 210, 40)


def moved(p: Primitive, by: tuple[float, float, float], material_id: str) -> Primitive:
    return replace(p, positions=p.positions + np.asarray(by, np.float32), material=material_id)


def of_slots(slots: list[Primitive], materials: tuple[Material, ...], *images: Any) -> Scene:
    """One part, "Trunk", with several slots under an even sky."""
    given = scene(
        slots[0],
        materials=materials,
        images=(*images, sky(0.8)),
        names=("Trunk",),
        environment=Environment("image:sky", 1.0),
    )
    return replace(given, meshes={"mesh:Trunk": Mesh("mesh:Trunk", "Trunk", tuple(slots))})


def trunk() -> Scene:
    """A lid with a picture that is turned and repeated, a brass band, a label painted on its points."""
    texture = Texture("image:quarters", "rgb", "srgb", scale=(2.0, 2.0), rotation_rad=0.3, offset=(0.1, 0.2))
    lid = material("Lid", base_color=Input((1.0, 0.5, 1.0), texture), roughness=(0.7,))
    band = material("Band", base_color=(0.8, 0.6, 0.2), roughness=(0.25,), metalness=(1.0,))
    label = material("Label", base_color=Input((1.0, 1.0, 1.0), None, vertex_color=True), roughness=(0.9,))
    slots = [
        moved(quad(), (0.0, 0.0, 0.0), lid.id),
        moved(quad(), (1.2, 0.0, 0.0), band.id),
        moved(quad(colors=(0.1, 0.3, 0.7)), (2.4, 0.0, 0.0), label.id),
    ]
    return of_slots(slots, (lid, band, label), image("quarters", QUARTERS))


def read_by_others(data: bytes) -> Any:
    """The one mesh of a GLB as trimesh reads it."""
    loaded = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
    (mesh,) = loaded.geometry.values()
    return mesh


def faces_under(mesh: Any, at: np.ndarray) -> np.ndarray:
    """Which face (P,) of a few each point (P, 3) lies on."""
    inside = [
        trimesh.triangles.points_to_barycentric(np.repeat(triangle[None], len(at), axis=0), at).min(axis=1)
        for triangle in mesh.triangles
    ]
    return np.argmax(inside, axis=0)


def texels_at(mesh: Any, picture: Picture.Image, at: np.ndarray) -> np.ndarray:
    """Texels (P, C) in [0, 1] that lie nearest to points (P, 3) on the faces of a mesh."""
    face = faces_under(mesh, at)
    weights = trimesh.triangles.points_to_barycentric(mesh.triangles[face], at)
    uv = np.einsum("pk,pkc->pc", weights, mesh.visual.uv[mesh.faces[face]])
    width, height = picture.size
    x = np.clip((uv[:, 0] * width).astype(int), 0, width - 1)
    y = np.clip(((1 - uv[:, 1]) * height).astype(int), 0, height - 1)  # trimesh has v running up
    texels = np.asarray(picture, np.float64) / 255
    return texels[y, x]


def middles(count: int, left: float) -> np.ndarray:
    """Points inside the square whose middle is ``left`` along x, off its edges."""
    inside = np.random.default_rng(3).uniform(-0.42, 0.42, (count, 2))
    return np.stack([inside[:, 0] + left, np.zeros(count), inside[:, 1]], axis=1)


def to_srgb(linear: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1, written out."""
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)


def inputs_of(sheet: Sheet) -> dict[str, Any]:
    return {name: rule.model_dump() for name, rule in sheet.materials.inputs.items()}


def directions_of_uv(mesh: Any, face: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Unit directions in space in which u and v (up) of a texture run on faces, (F, 3) each: the gradient of
    positions over UVs, solved face by face."""
    p, uv = mesh.triangles[face], mesh.visual.uv[mesh.faces[face]]
    edges = np.stack([p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]], axis=1)
    in_uv = np.stack([uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]], axis=1)
    both = np.linalg.solve(in_uv, edges)
    unit = both / np.linalg.norm(both, axis=2, keepdims=True)
    return unit[:, 0], unit[:, 1]
