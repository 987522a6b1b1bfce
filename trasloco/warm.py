"""Compiles every kernel once, so that the first artist does not wait: ``python -m trasloco.warm``.

Done once for each state of the kernels; what is compiled already is not looked at again.
"""

from __future__ import annotations

import hashlib
import subprocess
import sys
from pathlib import Path

from trasloco.rays.compiled import CACHE


def warm() -> None:
    """Compile every kernel, in two processes."""
    with subprocess.Popen([sys.executable, "-m", "trasloco.warm", _BESIDE]) as beside:
        _pictures()
    if beside.returncode:
        raise subprocess.CalledProcessError(beside.returncode, beside.args)


_BESIDE = "beside"


def _pictures() -> None:
    """What pictures are made with, and the tables of how materials look."""
    from trasloco.fit.nearest.response import response
    from trasloco.fit.nearest.stand import stand
    from trasloco.render.sample import render_sample
    from trasloco.scene.model import DEFAULT_MATERIAL, Scene

    render_sample(
        Scene("warm", materials={DEFAULT_MATERIAL.id: DEFAULT_MATERIAL}), DEFAULT_MATERIAL.id, 16, 2
    )
    response([DEFAULT_MATERIAL], stand(16))


def _beside() -> None:
    """Everything else."""
    import numpy as np

    from trasloco.fit.formulas.codes import relief, resize, to_depth, turn_green
    from trasloco.fit.geometry.nearest_triangle import distances
    from trasloco.inventory.survey import notice
    from trasloco.scene.color import delta_e_of_linear
    from trasloco.scene.model import DEFAULT_MATERIAL, Mesh, Node, Primitive, Scene
    from trasloco.sheets.library import sheet_named

    light = np.full((16, 16, 3), 0.5, np.float32)
    delta_e_of_linear(light, light)
    distances(np.eye(3), np.eye(3)[None])
    codes = np.zeros((8, 8, 3), np.uint8)
    to_depth(resize(turn_green(codes), 4, 4, "srgb"), 8)
    relief(codes[..., 0], 0.1)
    corner = np.eye(3, dtype=np.float32)
    sheet = Primitive(
        corner,
        np.array([[0, 1, 2]], np.uint32),
        corner,
        None,
        (corner[:, :2], corner[:, :2]),
        material=DEFAULT_MATERIAL.id,
    )
    nodes = {"part:a": Node("part:a", "a", None, np.eye(4), mesh="mesh:a")}
    scene = Scene(
        "warm", nodes, {"mesh:a": Mesh("mesh:a", "a", (sheet,))}, {DEFAULT_MATERIAL.id: DEFAULT_MATERIAL}
    )
    notice(scene, sheet_named("plain"), sheet_named("lanterna"), [])


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


def main() -> None:
    if sys.argv[1:] == [_BESIDE]:
        _beside()
    elif not is_compiled():
        warm()
        _NOTED.write_text(_state())
        print("kernels ready", file=sys.stderr)


if __name__ == "__main__":
    main()
