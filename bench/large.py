"""A move that is larger than memory: images and triangles by the billion bytes through every stop, beside the
memory it may take.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from pathlib import Path

import numpy as np

from bench.report import Benchmark
from bench.size import sized

SIDE = sized(4096, 256)
IMAGES = sized(86, 3)
"""Of three channels: 4 GiB of texels."""
TRIANGLES = sized(20_000_000, 30_000)
MOST_MB = 4096.0
_PERIOD = 0.02


def make_files(folder: Path, images: int = IMAGES, triangles: int = TRIANGLES, side: int = SIDE) -> None:
    """One wavy sheet an image, each with its own picture; written piece by piece, by the glTF specification
    alone.
    """
    from trasloco.scene.images import encode

    columns = 500 if triangles > images * 1000 else 50
    rows = triangles // images // 2 // columns
    u, v = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
    corner = np.arange((columns + 1) * (rows + 1), dtype=np.uint32).reshape(rows + 1, columns + 1)
    a, b, c, d = (x.ravel() for x in (corner[:-1, :-1], corner[:-1, 1:], corner[1:, :-1], corner[1:, 1:]))
    faces = np.concatenate([np.stack([a, c, b], 1), np.stack([b, c, d], 1)])
    points = u.size
    document: dict[str, list[object]] = {
        name: []
        for name in (
            "accessors",
            "bufferViews",
            "buffers",
            "images",
            "textures",
            "materials",
            "meshes",
            "nodes",
        )
    }

    def write(k: int) -> None:
        rng = np.random.default_rng(k)
        grain = rng.integers(0, 4, (side, side, 3), np.uint8)
        ramp = np.add.outer(np.arange(side), np.arange(side) * (k % 5 + 1))
        picture = (grain + (ramp // max(side // 64, 1) % 192).astype(np.uint8)[..., None]).astype(np.uint8)
        (folder / f"cloth-{k}.png").write_bytes(encode(picture, "png"))
        wave = np.stack([u.ravel(), 0.02 * np.sin(u.ravel() * 40 + k), v.ravel() + 1.2 * k], 1)
        slope = np.stack([-0.8 * np.cos(u.ravel() * 40 + k), np.ones(points), np.zeros(points)], 1)
        slope /= np.linalg.norm(slope, axis=1, keepdims=True)
        with (folder / f"sheet-{k}.bin").open("wb") as file:
            for part in (wave, slope, np.stack([u.ravel(), v.ravel()], 1)):
                file.write(part.astype("<f4").tobytes())
            file.write(faces.astype("<u4").tobytes())

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(write, range(images)))
    for k in range(images):
        sizes = [points * 12, points * 12, points * 8, faces.nbytes]
        starts = np.cumsum([0, *sizes])
        document["buffers"].append({"uri": f"sheet-{k}.bin", "byteLength": int(starts[-1])})
        for at, (start, size) in enumerate(zip(starts, sizes)):
            document["bufferViews"].append({"buffer": k, "byteOffset": int(start), "byteLength": size})
            accessor: dict[str, object] = {
                "bufferView": 4 * k + at,
                "componentType": 5125 if at == 3 else 5126,
                "count": faces.size if at == 3 else points,
                "type": ("VEC3", "VEC3", "VEC2", "SCALAR")[at],
            }
            if at == 0:
                accessor |= {"min": [0, -0.02, 1.2 * k], "max": [1, 0.02, 1.2 * k + 1]}
            document["accessors"].append(accessor)
        document["images"].append({"uri": f"cloth-{k}.png"})
        document["textures"].append({"source": k})
        document["materials"].append(
            {
                "name": f"Cloth {k}",
                "pbrMetallicRoughness": {"baseColorTexture": {"index": k}, "metallicFactor": 0},
            }
        )
        names = ("POSITION", "NORMAL", "TEXCOORD_0")
        attributes = {name: 4 * k + at for at, name in enumerate(names)}
        document["meshes"].append(
            {"primitives": [{"attributes": attributes, "indices": 4 * k + 3, "material": k}]}
        )
        document["nodes"].append({"mesh": k, "name": f"Sheet {k}"})
    whole = {"asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": list(range(images))}], **document}
    (folder / "sheets.gltf").write_text(json.dumps(whole))


def own_mb() -> float:
    """Memory of this process and its children that no file backs: what the system cannot take back."""
    own = Path("/proc/self")
    children = (one.read_text().split() for one in (own / "task").glob("*/children"))
    processes = [own, *(Path("/proc") / child for some in children for child in some)]
    total = 0
    for one in processes:
        with suppress(OSError):  # it ended meanwhile
            for line in (one / "status").read_text().splitlines():
                if line.startswith(("RssAnon", "RssShmem")):
                    total += int(line.split()[1])
    return total / 1024


class Watched:
    """Peak of memory and seconds of one stop after another."""

    def __init__(self) -> None:
        self.peak = 0.0
        self.stops: dict[str, dict[str, float]] = {}
        threading.Thread(target=self._watch, daemon=True).start()

    def _watch(self) -> None:
        while True:
            time.sleep(_PERIOD)
            self.peak = max(self.peak, own_mb())

    @contextmanager
    def stop(self, name: str) -> Iterator[None]:
        self.peak, started = own_mb(), time.perf_counter()
        yield
        took = time.perf_counter() - started
        self.stops[name] = {
            "peak_mb": round(self.peak),
            "left_mb": round(own_mb()),
            "seconds": round(took, 1),
        }
        print(name, self.stops[name], file=sys.stderr)


def through(folder: Path) -> dict[str, dict[str, float]]:
    """Every stop of a move of a folder's files, in this process."""
    from trasloco.formats.bundle import gather
    from trasloco.handover.on_disk import put
    from trasloco.progress import silent
    from trasloco.render.picture import Quality
    from trasloco.results.delivering import delivered, papers_of
    from trasloco.results.in_memory import route_of
    from trasloco.results.one_look import looked_at
    from trasloco.sheets.library import sheet_named

    def handed_over() -> None:
        with tempfile.TemporaryDirectory() as out:
            delivery = delivered(route, None, silent)
            put(Path(out) / "package", {**delivery.files, **papers_of(delivery)})

    watched = Watched()
    with watched.stop("receive"):
        route = route_of(gather([folder]), sheet_named("plain"), sheet_named("lanterna"), [])
    stops: dict[str, Callable[[], object]] = {
        "survey": route.findings,
        "mend": route.reference,
        "plan": route.plan,
        "carry": route.carried,
        "package": route.package,
        "accounts": route.accounts,
        "proof": lambda: looked_at(route, Quality(width=480, height=270, samples=8), silent, 0.0),
        "deliver": handed_over,
    }
    for name, work in stops.items():
        with watched.stop(name):
            work()
    return watched.stops


def _held_to(most_mb: float, own: int) -> Path | None:
    """A control group of that memory, with a process in it; None where the system lets nobody make one."""
    for line in Path("/proc/self/cgroup").read_text().splitlines():
        _, kinds, path = line.split(":", 2)
        if "memory" in kinds.split(","):  # the first version of groups, one tree for each kind
            root, limit = Path("/sys/fs/cgroup/memory"), "memory.limit_in_bytes"
        elif not kinds:  # the second, one for all
            root, limit = Path("/sys/fs/cgroup"), "memory.max"
        else:
            continue
        group = root / path.lstrip("/") / f"bench-{own}"
        try:
            group.mkdir()
            (group / limit).write_text(str(int(most_mb * 2**20)))
            (group / "cgroup.procs").write_text(str(own))
        except OSError:
            with suppress(OSError):
                group.rmdir()
        else:
            return group
    return None


def run() -> list[Benchmark]:
    """The highest of all stops, where the system ends whoever takes more than is allowed if it can."""
    with tempfile.TemporaryDirectory() as given:
        make_files(Path(given))
        child = subprocess.Popen(
            [sys.executable, "-m", "bench.large", given],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        group = _held_to(MOST_MB, child.pid)
        told, _ = child.communicate()
        if group is not None:
            group.rmdir()
    stops = json.loads(told) if child.returncode == 0 else {"all": {"peak_mb": float("inf"), "seconds": 0.0}}
    allowed = f"{MOST_MB:g} MB" + (", more of which the system ends" if group is not None else "")
    return [
        Benchmark(
            f"{IMAGES} images of {SIDE} x {SIDE}, {TRIANGLES / 1e6:g} M triangles: {name}",
            one["peak_mb"],
            "MB that cannot be taken back",
            allowed,
            MOST_MB,
            1.0,
        )
        for name, one in stops.items()
    ]


if __name__ == "__main__":
    if sys.argv[1] == "make":
        make_files(Path(sys.argv[2]), *map(int, sys.argv[3:]))
    else:
        print(json.dumps(through(Path(sys.argv[1]))))
