"""Writes the deliveries of the Teatrino: ``python -m demo.build [FOLDER]``."""

from __future__ import annotations

import hashlib
import sys
from pathlib import Path

from demo.received import received_zip
from demo.samples import SAMPLES, write_samples
from demo.stage import build_stage
from demo.teatrino import build, environment_image, make_surfaces
from trasloco.formats.gltf_write import write_glb

FILES = ("teatrino.glb", "teatrino-evening.exr", "teatrino-received.zip", "teatrino-stage.glb")


def write(folder: Path) -> list[Path]:
    """Write the deliveries unless they are there already, made by this very code."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = [folder / name for name in FILES]
    stamp = folder / "made-by"
    code = hashlib.sha256(
        b"".join(path.read_bytes() for path in sorted(Path(__file__).parent.glob("*.py")))
    ).hexdigest()
    samples = folder / "samples"
    if (
        not all(path.exists() for path in (*paths, *(samples / s.file for s in SAMPLES)))
        or not stamp.exists()
        or stamp.read_text() != code
    ):
        made = make_surfaces()
        paths[0].write_bytes(write_glb(build(made, with_environment=False)))
        paths[1].write_bytes(environment_image().data)
        paths[2].write_bytes(received_zip(made))
        paths[3].write_bytes(write_glb(build_stage(made)))
        write_samples(samples, made)
        stamp.write_text(code)
    return paths


if __name__ == "__main__":
    for written in write(Path(sys.argv[1]) if len(sys.argv) > 1 else Path("demo/out")):
        print(f"{written}  {written.stat().st_size / 1e6:.1f} MB")
