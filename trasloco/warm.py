"""Compiles every kernel once, so that the first artist does not wait: ``python -m trasloco.warm``.

Done once for each state of the kernels; what is compiled already is not looked at again.
"""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any

from trasloco.rays.compiled import CACHE


def warm() -> None:
    """Compile every kernel, in two processes."""
    with subprocess.Popen([sys.executable, "-m", "trasloco.warm", _BESIDE, str(os.getpid())]) as beside:
        pictures()
    if beside.returncode:
        raise subprocess.CalledProcessError(beside.returncode, beside.args)


_BESIDE = "beside"


def drawn() -> None:
    """A picture."""
    from trasloco.render.sample import render_sample
    from trasloco.scene.model import DEFAULT_MATERIAL, Scene

    looks = {DEFAULT_MATERIAL.id: DEFAULT_MATERIAL}
    render_sample(Scene("warm", materials=looks), DEFAULT_MATERIAL.id, 16, 2)


def pictures() -> None:
    """What pictures are made with, the tables of how materials look, and light that is written down."""
    from trasloco.fit.nearest.response import response
    from trasloco.fit.nearest.stand import stand
    from trasloco.light.lightmaps.bake_wish import TARGET
    from trasloco.scene.model import DEFAULT_MATERIAL

    drawn()
    response([DEFAULT_MATERIAL], stand(16))
    _moved((TARGET, "lightmaps", True), (TARGET, "paths", 1))


def beside() -> None:
    """Everything else."""
    import numpy as np

    from trasloco.fit.formulas.codes import multiply, relief, resize, to_depth, turn_green
    from trasloco.fit.geometry.nearest_triangle import distances
    from trasloco.rays import nearest
    from trasloco.rays.embree import RayScene
    from trasloco.scene.color import delta_e_of_linear

    rays = np.ones((nearest.FEW + 1, 3), np.float32)
    nearest.nearest(RayScene(np.eye(3, dtype=np.float32), np.array([[0, 1, 2]], np.uint32)), rays, rays)
    light = np.full((16, 16, 3), 0.5, np.float32)
    delta_e_of_linear(light, light)
    distances(np.eye(3), np.eye(3)[None])
    codes = np.zeros((8, 8, 3), np.uint8)
    for texels in (codes, light):
        to_depth(resize(turn_green(texels), 4, 4, "srgb"), 8)
    to_depth(multiply(codes, (0.5, 0.5, 0.5), "srgb", "srgb"), 8)
    relief(codes[..., 0], 0.1)
    _surveyed()
    _moved(("scene", "drawn_together", True))


def _surveyed() -> None:
    """A sheet that has a second set of UVs and no look of its own."""
    import numpy as np

    from trasloco.inventory.survey import notice
    from trasloco.scene.model import DEFAULT_MATERIAL, Mesh, Node, Primitive, Scene
    from trasloco.sheets.library import sheet_named

    corner, uv = np.eye(3, dtype=np.float32), np.eye(3, dtype=np.float32)[:, :2]
    faces = np.array([[0, 1, 2]], np.uint32)
    sheet = Primitive(corner, faces, corner, None, (uv, uv), material=DEFAULT_MATERIAL.id)
    nodes = {"part:a": Node("part:a", "a", None, np.eye(4), mesh="mesh:a")}
    looks = {DEFAULT_MATERIAL.id: DEFAULT_MATERIAL}
    scene = Scene("warm", nodes, {"mesh:a": Mesh("mesh:a", "a", (sheet,))}, looks)
    notice(scene, sheet_named("plain"), sheet_named("lanterna"), [])


def _moved(*decided: tuple[str, str, Any]) -> None:
    """A small move, from the files to the accounts."""
    from trasloco import move
    from trasloco.fit.together.between import as_asked
    from trasloco.scene.model import Decision
    from trasloco.sheets.library import sheet_named

    plain, decisions = sheet_named("plain"), [Decision(*one) for one in decided]
    there = as_asked(sheet_named("lanterna"), decisions)
    received = move.receive(_small_files())
    move.survey(received, plain, there)
    reference = move.mend(received.scene, plain)
    carried = move.carry(reference, move.plan(reference, plain, there, decisions), there)
    if "lightmaps" in (decision.field for decision in decisions):
        carried = move.lit(carried, move.bake(reference, carried, there, decisions))
    arrival = move.arrive(move.package(carried, there), there, reference)
    move.account(reference, arrival, carried.plan, there, carried.scene)


def _small_files() -> dict[str, bytes]:
    """A model of two slots, one of them with images."""
    import numpy as np

    from trasloco.scene.images import encode

    rows = [
        *("mtllib warm.mtl", "o Warm", "v 0 0 0", "v 1 0 0", "v 1 0 1", "v 0 0 1"),
        *("vt 0 0", "vt 1 0", "vt 1 1", "vt 0 1", "vn 0 1 0"),
        *("usemtl Cloth", "f 1/1/1 3/3/1 2/2/1", "usemtl Rim", "f 1/1/1 4/4/1 3/3/1"),
    ]
    looks = ["newmtl Cloth", "map_Kd warm.png", "norm bent.png", "newmtl Rim", "Kd 0.2 0.3 0.4"]
    codes = np.arange(192, dtype=np.uint8).reshape(8, 8, 3)
    return {
        "warm.obj": "\n".join(rows).encode(),
        "warm.mtl": "\n".join(looks).encode(),
        "warm.png": encode(codes, "png"),
        "bent.png": encode(codes // 16 + np.array([120, 120, 240], np.uint8), "png"),
    }


def _state() -> str:
    """A digest of every file that has kernels."""
    held = [path.read_bytes() for path in sorted(Path(__file__).parent.rglob("*.py"))]
    kernels = [one for one in held if b"njit" in one or b"rays.compiled import" in one]
    return hashlib.sha256(b"".join(kernels)).hexdigest()


def is_compiled() -> bool:
    """Whether every kernel is compiled as it stands."""
    return _NOTED.exists() and _NOTED.read_text() == _state()


_NOTED = CACHE / "whole"
"""Holds the state of the kernels that are all compiled."""


def _end_with(parent: int) -> None:
    """Nobody waits for what a process that is gone has begun."""

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(0.5)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def main() -> None:
    if sys.argv[1:2] == [_BESIDE]:
        _end_with(int(sys.argv[2]) if len(sys.argv) > 2 else os.getppid())
        beside()
    elif not is_compiled():
        warm()
        _NOTED.write_text(_state())
        print("kernels ready", file=sys.stderr)


if __name__ == "__main__":
    main()
