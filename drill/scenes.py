"""What is delivered in drills: small scenes whose work takes some seconds."""

from __future__ import annotations

from functools import cache


@cache
def small() -> bytes:
    """Parts, materials, lights, a camera and motion, in some kilobytes."""
    from tests.core.test_arrival import rich
    from trasloco.formats.gltf_write import write_glb

    return write_glb(rich())


@cache
def walled() -> bytes:
    """A room that light can be written down in."""
    from tests.core.test_lightmaps import walled as room
    from trasloco.formats.gltf_write import write_glb

    return write_glb(room(0.03, 12.0)[0])


BAKE = (
    ("lightmaps", True),
    ("paths", 256),
    ("bounces", 2),
    ("lightmap_mib", 0.5),
)
"""What is decided so that a bake lasts some seconds."""
