"""A front of very many parts that share one mesh: what the structure tells, and all checks; and how far a
mesh that was made coarser lies from what it was.
"""

from __future__ import annotations

import json
import struct
import time

import numpy as np
from scipy.spatial import cKDTree

from bench.report import Benchmark, median_seconds
from bench.size import sized
from trasloco.fit.geometry.nearest_triangle import distances

PARTS, FEWER = sized(200_000, 400), sized(20_000, 200)


def front(count: int) -> bytes:
    """A GLB of so many seats in rows."""
    from tests.making import cube, material, scene
    from trasloco.formats.gltf_write import write_glb

    base = write_glb(scene(cube(0.4), materials=(material(),), names=("Seat",)))
    length = struct.unpack("<I", base[12:16])[0]
    document = json.loads(base[20 : 20 + length])
    row = int(count**0.5) + 1
    document["nodes"] = [
        {"name": f"Seat {k}", "mesh": 0, "translation": [k % row, 0, k // row]} for k in range(count)
    ]
    document["scenes"][0]["nodes"] = list(range(count))
    text = json.dumps(document, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    rest = base[20 + length :]
    head = b"glTF" + struct.pack("<II", 2, 20 + len(text) + len(rest))
    return head + struct.pack("<I", len(text)) + b"JSON" + text + rest


def _surveyed(count: int) -> tuple[float, float, float]:
    """Seconds to parse the file as JSON, for what its structure tells, and for all checks."""
    from trasloco import move
    from trasloco.sheets.library import sheet_named

    data = front(count)
    started = time.perf_counter()
    json.loads(data[20 : 20 + struct.unpack("<I", data[12:16])[0]])
    parsed = time.perf_counter() - started
    received = move.receive({"front.glb": data})
    plain, lanterna = sheet_named("plain"), sheet_named("lanterna")
    started = time.perf_counter()
    move.survey(received, plain, lanterna, first=True)
    first = time.perf_counter() - started
    started = time.perf_counter()
    move.survey(received, plain, lanterna)
    return parsed, first, time.perf_counter() - started


def _apart() -> Benchmark:
    """Points from the nearest triangle of a folded cloth, beside the nearest of its vertices."""
    side = sized(200, 12)
    u, v = np.meshgrid(np.linspace(0, 1, side + 1), np.linspace(0, 1, side + 1))
    cloth = np.stack([u, 0.1 * np.sin(20 * u), v], axis=-1)
    corners = [cloth[:-1, :-1], cloth[1:, :-1], cloth[:-1, 1:], cloth[1:, 1:]]
    triangles = np.concatenate([np.stack(corners[k : k + 3], axis=2).reshape(-1, 3, 3) for k in (0, 1)])
    points = np.random.default_rng(0).random((20_000, 3)) * (1, 0.1, 1)
    vertices = cloth.reshape(-1, 3)
    distances(points, triangles)  # warm
    return Benchmark(
        f"20000 points from {len(triangles)} triangles",
        median_seconds(lambda: distances(points, triangles)),
        "s",
        "their nearest vertices by a k-d tree, on as many threads",
        median_seconds(lambda: cKDTree(vertices).query(points, workers=-1)),
        8.0,
    )


def run() -> list[Benchmark]:
    _surveyed(FEWER)  # warm
    _, _, fewer = _surveyed(FEWER)
    parsed, first, whole = _surveyed(PARTS)
    return [
        Benchmark(f"structure of {PARTS} parts", first, "s", "parsing the file as JSON", parsed, 20.0),
        Benchmark(f"all checks of {PARTS} parts", whole, "s", f"those of {FEWER} parts", fewer, 12.0),
        _apart(),
    ]
