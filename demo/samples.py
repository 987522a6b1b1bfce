"""Smaller and stranger deliveries of the Teatrino: COLLADA, a USD package, a painted puppet as PLY, the winch by ID colours as OBJ."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from pxr import Sdf

from demo.collada import collada_zip
from demo.shapes import joined
from demo.surfaces import Surface
from demo.teatrino import build, part_plans
from trasloco import move
from trasloco.scene.color import linear_to_srgb
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
    Sample("winch.obj", "The winch as OBJ", "one part, told apart by ID colours", "bottega"),
)


def write_samples(folder: Path, made: dict[str, Surface]) -> None:
    """Write every sample into the folder."""
    folder.mkdir(parents=True, exist_ok=True)
    scene = build(made, with_environment=False)
    (folder / "teatrino-collada.zip").write_bytes(collada_zip(scene))
    (folder / "teatrino.usdz").write_bytes(_usdz(made))
    (folder / "puppet.ply").write_bytes(_puppet())
    (folder / "winch.obj").write_bytes(_winch())


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
    vertex["p"], vertex["n"], vertex["c"] = shape.positions[:, [0, 2, 1]] * [100.0, -100.0, 100.0], shape.normals[:, [0, 2, 1]] * [1.0, -1.0, 1.0], np.round(linear_to_srgb(shape.colors) * 255)
    face = np.zeros(len(shape.triangles), [("k", "u1"), ("i", "<i4", 3)])
    face["k"], face["i"] = 3, shape.triangles
    names = "".join(f"property float {n}\n" for n in ("x", "y", "z", "nx", "ny", "nz")) + "".join(f"property uchar {n}\n" for n in ("red", "green", "blue"))
    head = f"ply\nformat binary_little_endian 1.0\ncomment a marionette, in centimetres\nelement vertex {len(vertex)}\n{names}element face {len(face)}\nproperty list uchar int vertex_indices\nend_header\n"
    return head.encode() + vertex.tobytes() + face.tobytes()


def _winch() -> bytes:
    """OBJ text of the whole winch as one part, ID colours (sRGB) behind the points."""
    shape = joined(*(plan.shape for plan in part_plans() if plan.group == "winch"))
    assert shape.colors is not None
    rows = np.concatenate([shape.positions[:, [0, 2, 1]] * [100.0, -100.0, 100.0], linear_to_srgb(shape.colors)], axis=1)
    lines = ["o Winch", *("v " + " ".join(f"{v:.4f}" for v in row) for row in rows)]
    lines += [f"vn {n[0]:.4f} {-n[2]:.4f} {n[1]:.4f}" for n in shape.normals]
    lines += ["f " + " ".join(f"{c + 1}//{c + 1}" for c in triangle) for triangle in shape.triangles]
    return "\n".join(lines).encode()
