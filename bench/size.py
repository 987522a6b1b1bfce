"""How big the benches are: as big as their figures need, or small, only to see that they run
(``BENCH_SMALL=1``, as the tests do).
"""

from __future__ import annotations

import io
import os
import zipfile

from trasloco.scene.model import Scene

SMALL = bool(os.environ.get("BENCH_SMALL"))


def sized(full: int, small: int) -> int:
    """The full number, or the small one."""
    return small if SMALL else full


def teatrino() -> Scene:
    """The Teatrino, or a few generated parts with lamps and a camera."""
    if SMALL:
        from tests.everything import everything

        return everything("bench 4")
    from demo.teatrino import build, make_surfaces

    return build(make_surfaces())


def received() -> tuple[str, bytes]:
    """The Teatrino as it was received, or a small scene, zipped: its name and bytes."""
    if SMALL:
        from tests.core.test_arrival import rich
        from trasloco.formats.gltf_write import write_glb

        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as files:
            files.writestr("rich.glb", write_glb(rich()))
        return "small.zip", packed.getvalue()
    from demo.received import received_zip
    from demo.teatrino import make_surfaces

    return "teatrino-received.zip", received_zip(make_surfaces())
