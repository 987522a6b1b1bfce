"""Smaller and stranger deliveries of the Teatrino: COLLADA, a USD package, a painted puppet as PLY, a trunk
with loose images, the winch by ID colours as OBJ.
"""

from __future__ import annotations

import io
import tempfile
import zipfile
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Sdf

from demo.collada import collada_zip
from demo.rules import rules_zip
from demo.shapes import joined
from demo.surfaces import Surface
from demo.teatrino import build, bytes8, normal_picture, part_plans
from trasloco import move
from trasloco.formats.gltf_write import write_glb
from trasloco.inputs.table import INPUTS
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.images import encode
from trasloco.sheets.library import sheet_named


@dataclass(frozen=True)
class Sample:
    """A delivery offered on the desk. ``source`` is the sheet it comes from."""

    file: str
    title: str
    note: str
    source: str


SAMPLES = (
    Sample("teatrino-collada.zip", "Teatrino as COLLADA", "centimetres, Z up, images beside it", "plain"),
    Sample("teatrino.usdz", "Teatrino as a USD package", "material networks, images inside", "plain"),
    Sample("puppet.ply", "A puppet as PLY", "painted by vertex colours, no images", "bottega"),
    Sample(
        "trunk-and-images.zip",
        "A trunk with loose images",
        "no material reads them; named in three ways",
        "plain",
    ),
    Sample("winch.obj", "The winch as OBJ", "one part, told apart by ID colours", "bottega"),
    Sample(
        "bubble.zip", "A bubble and boards by rule", "MaterialX patterns, thin films, bare slots", "plain"
    ),
)


def write_samples(folder: Path, made: dict[str, Surface]) -> None:
    """Write every sample into the folder."""
    folder.mkdir(parents=True, exist_ok=True)
    scene = build(made, with_environment=False)
    (folder / "teatrino-collada.zip").write_bytes(collada_zip(scene))
    (folder / "teatrino.usdz").write_bytes(_usdz(made))
    (folder / "puppet.ply").write_bytes(_puppet())
    (folder / "trunk-and-images.zip").write_bytes(_trunk(made))
    (folder / "winch.obj").write_bytes(_winch())
    (folder / "bubble.zip").write_bytes(rules_zip())


def _usdz(made: dict[str, Surface]) -> bytes:
    """What Fornace would be given, as one package with its default layer first."""
    plain, fornace = sheet_named("plain"), sheet_named("fornace")
    reference = move.mend(build(made), plain)
    package = move.package(move.carry(reference, move.plan(reference, plain, fornace), fornace), fornace)
    with tempfile.TemporaryDirectory() as folder:
        target = str(Path(folder) / "teatrino.usdz")
        writer = Sdf.ZipFileWriter.CreateNew(target)
        for path in sorted(package.files, key=lambda p: (not p.endswith(".usdc"), p)):
            if path.endswith(".mtlx"):
                continue  # the layer holds the same networks; packages hold layers and images only
            place = Path(folder) / path
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(package.files[path])
            writer.AddFile(str(place), path)
        writer.Save()
        return Path(target).read_bytes()


def _puppet() -> bytes:
    """Binary PLY, colours as bytes."""
    shape = next(plan.shape for plan in part_plans() if plan.name == "Pulcino")
    assert shape.colors is not None
    vertex = np.zeros(len(shape.positions), [("p", "<f4", 3), ("n", "<f4", 3), ("c", "u1", 3)])
    vertex["p"], vertex["n"], vertex["c"] = (
        shape.positions[:, [0, 2, 1]] * [100.0, -100.0, 100.0],
        shape.normals[:, [0, 2, 1]] * [1.0, -1.0, 1.0],
        np.round(linear_to_srgb(shape.colors) * 255),
    )
    face = np.zeros(len(shape.triangles), [("k", "u1"), ("i", "<i4", 3)])
    face["k"], face["i"] = 3, shape.triangles
    names = "".join(f"property float {n}\n" for n in ("x", "y", "z", "nx", "ny", "nz")) + "".join(
        f"property uchar {n}\n" for n in ("red", "green", "blue")
    )
    head = f"ply\nformat binary_little_endian 1.0\ncomment a marionette, in centimetres\nelement vertex {len(vertex)}\n{names}element face {len(face)}\nproperty list uchar int vertex_indices\nend_header\n"
    return head.encode() + vertex.tobytes() + face.tobytes()


def _trunk(made: dict[str, Surface]) -> bytes:
    """The trunk as a GLB whose materials read nothing, and a folder of images, each set named in a way of its
    own, one by nobody.
    """
    scene = build(made, with_environment=False)
    parts = {part.id for part in scene.parts() if part.name.startswith("Trunk")}
    bare = {
        id: replace(
            m,
            inputs={
                name: replace(given, texture=None, factor=INPUTS[name].default)
                for name, given in m.inputs.items()
                if name in ("base_color", "roughness", "metalness")
            },
        )
        for id, m in scene.materials.items()
    }
    nodes = {
        id: node
        for id, node in scene.nodes.items()
        if id in parts or any(scene.nodes[part].parent == id for part in parts)
    }
    only = move.mend(
        replace(scene, name="Trunk", nodes=nodes, materials=bare, images={}, lights={}, cameras={}),
        sheet_named("plain"),
    )

    def small(values: Any) -> Any:
        return np.ascontiguousarray(bytes8(values)[::2, ::2])

    leather, brass, label = made["leather"], made["brass"], made["label"]
    ones = np.ones(leather.roughness.shape)  # type: ignore[union-attr]
    down = np.ascontiguousarray(normal_picture(leather)[::2, ::2])
    down[..., 1] = 255 - down[..., 1]
    files = {
        "Trunk_Leather_BaseColor_1k.png": small(leather.color),
        "Trunk_Leather_Normal_dx.png": down,
        "Trunk_Leather_ORM.png": small(
            np.stack(
                [leather.occlusion if leather.occlusion is not None else ones, leather.roughness, ones * 0],
                -1,
            )
        ),
        "footlight brass, albedo.png": small(brass.color),
        "footlight brass, gloss.png": small(1 - brass.roughness),
        "footlight brass, metallic.png": small(
            brass.metalness if brass.metalness is not None else ones[:1, :1]
        ),  # type: ignore[operator]
        "trunk-label-d.png": small(label.color),
        "trunk-label-r.png": small(
            label.roughness if label.roughness is not None else np.full(label.color.shape[:2], 0.8)
        ),
        "photo 0412.png": small(made["velvet"].color),
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in (
            ("trunk.glb", write_glb(only)),
            *((f"images/{name}", encode(texels, "png")) for name, texels in files.items()),
        ):
            archive.writestr(zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0)), data)
    return out.getvalue()


def _winch() -> bytes:
    """OBJ text of the whole winch as one part, ID colours (sRGB) behind the points."""
    shape = joined(*(plan.shape for plan in part_plans() if plan.group == "winch"))
    assert shape.colors is not None
    rows = np.concatenate(
        [shape.positions[:, [0, 2, 1]] * [100.0, -100.0, 100.0], linear_to_srgb(shape.colors)], axis=1
    )
    lines = ["o Winch", *("v " + " ".join(f"{v:.4f}" for v in row) for row in rows)]
    lines += [f"vn {n[0]:.4f} {-n[2]:.4f} {n[1]:.4f}" for n in shape.normals]
    lines += ["f " + " ".join(f"{c + 1}//{c + 1}" for c in triangle) for triangle in shape.triangles]
    return "\n".join(lines).encode()
