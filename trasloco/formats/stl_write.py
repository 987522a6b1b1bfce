"""Parts to STL: one file each, facets with the normals of their corners' order."""

from __future__ import annotations

import numpy as np

from trasloco.scene.geometry import face_vectors, joined_mesh, transform_points
from trasloco.scene.model import Mesh
from trasloco.scene.transforms import to_convention

_FACET = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])


def write_stl(mesh: Mesh, name: str, up_axis: str, unit_m: float, text: bool) -> bytes:
    """The facets of a mesh whose points stand in the world."""
    points, faces = joined_mesh(mesh.primitives)
    placed = transform_points(to_convention(up_axis, unit_m), points).astype(np.float32)
    vectors = face_vectors(placed, faces)  # type: ignore[arg-type]
    facets = np.zeros(len(faces), _FACET)
    facets["corners"] = placed[faces]
    facets["normal"] = vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-30)
    if not text:
        return b"\0" * 80 + np.uint32(len(facets)).tobytes() + facets.tobytes()
    facet = "facet normal %.9g %.9g %.9g\nouter loop\n" + "vertex %.9g %.9g %.9g\n" * 3 + "endloop\nendfacet"
    rows = np.concatenate([facets["normal"], facets["corners"].reshape(-1, 9)], axis=1).tolist()
    return "\n".join(
        [f"solid {name}", *(facet % tuple(row) for row in rows), f"endsolid {name}", ""]
    ).encode()
