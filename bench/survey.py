"""Survey of a million triangles and twenty 2048 x 2048 images, against loading the same file once and
decoding each image once.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from bench.large import Watched, own_mb
from bench.report import Benchmark
from bench.size import sized

TRIANGLES, IMAGES, SIDE = sized(1_000_000, 10_000), sized(20, 2), sized(2048, 256)


def make_file(path: Path) -> None:
    """Twenty wavy sheets of 50 000 triangles, each with its own noisy image."""
    from trasloco.formats.gltf_write import write_glb
    from trasloco.scene.images import encode, identify
    from trasloco.scene.model import Input, Material, Mesh, Node, Primitive, Scene, Texture

    rng = np.random.default_rng(0)
    nodes, meshes, materials, images = {}, {}, {}, {}
    columns, rows = 250, TRIANGLES // IMAGES // 2 // 250
    u, v = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
    index = np.arange((columns + 1) * (rows + 1), dtype=np.uint32).reshape(rows + 1, columns + 1)
    a, b, c, d = (x.ravel() for x in (index[:-1, :-1], index[:-1, 1:], index[1:, :-1], index[1:, 1:]))
    triangles = np.concatenate([np.stack([a, c, b], 1), np.stack([b, c, d], 1)])
    for k in range(IMAGES):
        coarse = rng.integers(0, 255, (SIDE // 8, SIDE // 8, 3), np.uint8).repeat(8, 0).repeat(8, 1)
        image = identify(
            f"image:{k}",
            f"cloth-{k}.png",
            f"cloth-{k}.png",
            encode(coarse ^ rng.integers(0, 8, coarse.shape, np.uint8), "png"),
        )
        images[image.id] = image
        materials[f"material:{k}"] = Material(
            f"material:{k}",
            f"Cloth {k}",
            {"base_color": Input((1.0, 1.0, 1.0), Texture(image.id, "rgb", "srgb"))},
        )
        points = np.stack([u.ravel(), 0.05 * np.sin(u.ravel() * 40 + k), v.ravel() + 1.2 * k], 1).astype(
            np.float32
        )
        normals = np.tile(np.array([[0, 1, 0]], np.float32), (len(points), 1))
        meshes[f"mesh:{k}"] = Mesh(
            f"mesh:{k}",
            f"Sheet {k}",
            (
                Primitive(
                    points,
                    triangles,
                    normals,
                    None,
                    (np.stack([u.ravel(), v.ravel()], 1).astype(np.float32),),
                    material=f"material:{k}",
                ),
            ),
        )
        nodes[f"part:{k}"] = Node(f"part:{k}", f"Sheet {k}", None, np.eye(4), mesh=f"mesh:{k}")
    path.write_bytes(write_glb(Scene("sheets", nodes, meshes, materials, images)))


def ours(path: Path) -> dict[str, float]:
    """Time and memory of receive and survey, measured inside one process after a warm-up on a small file."""
    from trasloco import move
    from trasloco.formats.bundle import gather
    from trasloco.sheets.library import sheet_named

    plain, lanterna = sheet_named("plain"), sheet_named("lanterna")
    small = path.with_name("small.glb")
    move.survey(move.receive({small.name: small.read_bytes()}), plain, lanterna)
    watched, before = Watched(), own_mb()
    started = time.perf_counter()
    received = move.receive(gather([path]))
    move.survey(received, plain, lanterna, first=True)
    first = time.perf_counter() - started
    move.survey(received, plain, lanterna)
    seconds = time.perf_counter() - started
    primitives = [p for m in received.scene.meshes.values() for p in m.primitives]
    geometry = sum(
        x.nbytes for p in primitives for x in (p.positions, p.indices, p.normals, *p.uvs) if x is not None
    )
    held = sum(len(image.data) for image in received.scene.images.values())
    return {
        "seconds": seconds,
        "first": first,
        "peak_mb": watched.peak - before,
        "allowed_mb": (geometry + held) / 2**20,
    }


def unavoidable(path: Path) -> dict[str, float]:
    """Seconds for trimesh to load the file, for OpenImageIO to decode every image once, and for two raw
    Embree rays a triangle.
    """
    import OpenImageIO as oiio
    import trimesh

    from trasloco.formats.receive import receive
    from trasloco.rays.embree import RayScene
    from trasloco.rays.nearest import nearest

    scene = receive({path.name: path.read_bytes()}).scene
    with tempfile.TemporaryDirectory(dir="/dev/shm" if Path("/dev/shm").is_dir() else None) as folder:
        files = []
        for k, image in enumerate(scene.images.values()):
            files.append(Path(folder) / f"{k}.png")
            files[-1].write_bytes(image.data)
        started = time.perf_counter()
        trimesh.load(path, process=False)
        load = time.perf_counter() - started
        started = time.perf_counter()
        for file in files:
            reader = oiio.ImageInput.open(str(file))
            reader.read_image(oiio.UINT8)
            reader.close()
        decode = time.perf_counter() - started
    primitives = [p for m in scene.meshes.values() for p in m.primitives]
    starts = np.cumsum([0, *(len(p.positions) for p in primitives)])
    positions = np.concatenate([p.positions for p in primitives])
    triangles = np.concatenate([p.indices + np.uint32(s) for p, s in zip(primitives, starts)])
    rays = RayScene(positions, triangles, compact=True)
    rng = np.random.default_rng(1)
    origins = positions[triangles].mean(axis=1).repeat(2, axis=0)
    directions = rng.standard_normal(origins.shape).astype(np.float32)
    nearest(rays, origins[:1000], directions[:1000])
    started = time.perf_counter()
    nearest(rays, origins, directions)
    return {"load": load, "decode": decode, "rays": time.perf_counter() - started}


def run() -> list[Benchmark]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "million.glb"
        make_file(path)
        from trasloco.formats.gltf_write import write_glb
        from trasloco.scene.model import Scene

        path.with_name("small.glb").write_bytes(write_glb(Scene("small")))
        runs = [
            json.loads(
                subprocess.run(
                    [sys.executable, "-m", "bench.survey", str(path)],
                    capture_output=True,
                    text=True,
                    check=True,
                ).stdout
            )
            for _ in range(sized(3, 1))
        ]
        runs.sort(key=lambda run: run["seconds"])
        yards = [unavoidable(path) for _ in range(sized(3, 1))]
        load, decode, rays = (
            sorted(y[key] for y in yards)[len(yards) // 2] for key in ("load", "decode", "rays")
        )
    middle = runs[len(runs) // 2]
    return [
        Benchmark("survey first answer", middle["first"], "s", "trimesh load", load, 2.0),
        Benchmark(
            "survey of a million triangles, all checks",
            middle["seconds"],
            "s",
            "trimesh load, each image decoded once, two Embree rays a triangle",
            load + decode + rays,
            1.5,
        ),
        Benchmark(
            "survey memory",
            middle["peak_mb"],
            "MB above start",
            "decoded geometry plus the image files in use",
            middle["allowed_mb"],
            1.5,
        ),
    ]


if __name__ == "__main__":
    print(json.dumps(ours(Path(sys.argv[1]))))
