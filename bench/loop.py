"""The loop of the hand, over the server's own address: a factor changed, a mend taken, an undo, the list of
two hundred moves; second time round, against the bare work.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bench.report import Benchmark
from bench.size import received, sized

MOVES = sized(200, 5)


def run() -> list[Benchmark]:
    with tempfile.TemporaryDirectory() as folder:
        env = {**os.environ, "TRASLOCO_DATA": folder, "DJANGO_SETTINGS_MODULE": "server.project.settings"}
        done = subprocess.run([sys.executable, "-m", "bench.loop"], capture_output=True, text=True, env=env)
        if done.returncode:
            raise RuntimeError(done.stderr[-3000:])
        told = json.loads(done.stdout[done.stdout.index("{\n") :])
    return [
        Benchmark(
            "one factor changed: crossing and sample there",
            told["factor"],
            "s",
            "the step on the image, and encoding its picture",
            told["bare factor"],
            1.5,
        ),
        Benchmark(
            "a mend taken: view and findings there",
            told["mend"],
            "s",
            "the mend, and writing the part",
            told["bare mend"],
            2.0,
        ),
        Benchmark(
            "undo of a factor: crossing and sample there", told["undo"], "s", "doing it", told["factor"], 0.5
        ),
        Benchmark(
            f"the list of {MOVES} moves", told["list"], "s", "the list of none", told["empty list"], 5.0
        ),
    ]


def measured() -> dict[str, float]:
    """All figures, in this process, with a database of its own."""
    import django

    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    from django.core.files.uploadedfile import SimpleUploadedFile
    from django.test import Client

    from server.moves.bench import Bench
    from server.moves.jobs import execute
    from server.moves.models import Job, Move, Revision

    client = Client(headers={"host": "127.0.0.1"})

    def ask(path: str, body: Any = None) -> Any:
        response = (
            client.get(f"/api{path}")
            if body is None
            else client.post(f"/api{path}", json.dumps(body), content_type="application/json")
        )
        if response.status_code >= 400:
            raise RuntimeError(f"{path}: {response.content[:300]!r}")
        data = response.getvalue()
        return json.loads(data) if response.headers["content-type"].startswith("application/json") else data

    empty = median(lambda: ask("/moves"), 5)
    files = dict([received()])
    data = {
        "files": [SimpleUploadedFile(name, content) for name, content in files.items()],
        "paths": list(files),
        "destination": "lanterna",
    }
    move = client.post("/api/moves", data).json()["id"]
    for job in Job.objects.filter(state=Job.State.WAITING):
        execute(job.id)
    here = f"/moves/{move}"
    fit, inventory = ask(f"{here}/fit"), ask(f"{here}/inventory")
    crossing = max(
        (c for c in fit["crossings"] if c["name"] == "base_color"), key=lambda c: bool(c["given"]["image"])
    )
    material, part = crossing["material"], inventory["parts"][0]["id"]

    def shown() -> None:
        while not ask(f"{here}/fit")["measured"]:
            time.sleep(0.02)
        while ask(f"{here}/samples?material={material}&quick=true").get("coming"):
            time.sleep(0.02)
        ask(f"{here}/crossing.png?crossing={crossing['id']}&side=84")

    def factor(value: float) -> float:
        started = time.perf_counter()
        ask(
            f"{here}/decisions",
            [{"target": crossing["id"], "field": "factor", "value": [value, value, value]}],
        )
        shown()
        return time.perf_counter() - started

    factor(0.9)
    told = {
        "factor": factor(0.8),
        "bare factor": bare_factor(Bench(Move.objects.get(id=move)), crossing["id"]),
    }
    started = time.perf_counter()
    ask(f"{here}/undo", {})
    shown()
    told["undo"] = time.perf_counter() - started

    def mend(turned: bool | list[int]) -> float:
        started = time.perf_counter()
        ask(f"{here}/decisions", [{"target": part, "field": "turn_faces", "value": turned}])
        while not (told := ask(f"{here}/inventory"))["surveyed"]:
            time.sleep(0.02)
        ask(f"/blobs/{told['view']}.glb")
        return time.perf_counter() - started

    mend(True)
    told |= {"mend": mend([0]), "bare mend": bare_mend(Bench(Move.objects.get(id=move)), part)}
    first = Revision.objects.get(move_id=move)
    for number in range(MOVES - 1):
        other = Move.objects.create(name=f"Copy {number}", source="plain", destination="lanterna")
        Revision.objects.create(
            move=other,
            number=1,
            files=first.files,
            received=first.received,
            picture=first.picture,
            lights=first.lights,
        )
    ask("/moves")
    return {**told, "list": median(lambda: ask("/moves"), 3), "empty list": empty}


def bare_factor(bench: Any, crossing_id: str) -> float:
    """Seconds for the crossing's own steps on its texels, and for encoding them as they are delivered."""
    from trasloco.fit.plane import Order
    from trasloco.fit.texels import plane_of
    from trasloco.results.pictures import crossing_of
    from trasloco.scene.images import encode

    crossing = crossing_of(bench, crossing_id)
    planned = next(i for i in bench.plan().images if i.path == crossing.landing.image)
    order = Order(crossing, planned, bench.reference(), {})
    return median(lambda: encode(plane_of(order), "png"), 3)


def bare_mend(bench: Any, part: str) -> float:
    """Seconds for the mend alone, and for writing the part it changes."""
    from dataclasses import replace

    from trasloco.formats.gltf_document import GlbOptions
    from trasloco.formats.gltf_write import write_glb
    from trasloco.mends.faces import turn_faces

    scene = bench.as_received()
    node = scene.nodes[part]
    alone = replace(
        scene,
        nodes={part: replace(node, parent=None)},
        meshes={node.mesh: scene.meshes[node.mesh]},
        lights={},
        cameras={},
        skins={},
        clips={},
    )
    return median(
        lambda: write_glb(
            turn_faces(alone, part, [0]),
            GlbOptions(
                materials=False,
                images=False,
                ids=True,
                motion=False,
                lights=False,
                cameras=False,
                tangents=False,
            ),
        ),
        3,
    )


def median(work: Callable[[], Any], runs: int) -> float:
    """Median wall time of several runs."""
    taken = []
    for _ in range(runs):
        started = time.perf_counter()
        work()
        taken.append(time.perf_counter() - started)
    return sorted(taken)[len(taken) // 2]


if __name__ == "__main__":
    Path(os.environ["TRASLOCO_DATA"]).mkdir(parents=True, exist_ok=True)
    print(json.dumps(measured(), indent=1))
