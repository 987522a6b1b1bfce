"""All triangles of a scene in the world, for checks that need to look around."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.at_rest import Row
from trasloco.limits import LIMITS
from trasloco.rays.embree import RayScene
from trasloco.scene.geometry import pieces, transform_points
from trasloco.scene.model import Scene
from trasloco.scene.welding import face_facts


@dataclass(frozen=True)
class WorldTriangles:
    """Triangles of every part, instances repeated.

    Attributes:
        positions: (N, 3) float32. triangles: (T, 3) uint32, part after part. piece: (T,) number of the
            connected piece, unique over the scene.
        first_piece: piece number at which each part's own numbering starts. first_face: (P,) triangle at
            which each part starts; an empty part starts where the next one does.
        part_ids: by number. rays: ready to be asked.
    """

    positions: npt.NDArray[np.float32]
    triangles: npt.NDArray[np.uint32]
    piece: npt.NDArray[np.int32]
    first_piece: dict[str, int]
    first_face: npt.NDArray[np.int64]
    part_ids: tuple[str, ...]
    rays: RayScene

    def part_of(self, faces: npt.NDArray[Any]) -> npt.NDArray[np.int64]:
        """The number of the part that each of some triangles belongs to, in their shape."""
        return np.asarray(np.searchsorted(self.first_face, faces, side="right") - 1)

    def faces_of(self, part: int) -> slice:
        """The triangles of a part by its number."""
        end = self.first_face[part + 1] if part + 1 < len(self.first_face) else len(self.triangles)
        return slice(int(self.first_face[part]), int(end))

    @cached_property
    def areas(self) -> npt.NDArray[np.float32]:
        """(T,) square metres."""
        return face_facts(self.positions, self.triangles)[0].astype(np.float32)

    @cached_property
    def by_piece(self) -> npt.NDArray[np.int32] | slice:
        """Triangles piece after piece: their numbers, or all as they are where they lie so already."""
        if (self.piece[1:] >= self.piece[:-1]).all():
            return slice(0, len(self.piece))
        return np.argsort(self.piece, kind="stable").astype(np.int32)


def world_triangles(scene: Scene) -> WorldTriangles:
    """Gather, number connected pieces within each part, and build the ray scene."""
    world = scene.world_matrices()
    positions, triangles = Row(np.float32, (3,), LIMITS.row_bytes), Row(np.uint32, (3,), LIMITS.row_bytes)
    piece_numbers = Row(np.int32, (), LIMITS.row_bytes)
    first_piece: dict[str, int] = {}
    parts = scene.parts()
    first_face: list[int] = []
    start, next_piece, faces = 0, 0, 0
    for part in parts:
        matrix = world[part.id]
        mirrored = np.linalg.det(matrix[:3, :3]) < 0
        first_piece[part.id] = next_piece
        first_face.append(faces)
        for primitive in scene.meshes[part.mesh or ""].primitives:
            if not len(primitive.indices):
                continue
            positions.append(transform_points(matrix, primitive.positions).astype(np.float32))
            triangles.append(
                (primitive.indices[:, ::-1] if mirrored else primitive.indices) + np.uint32(start)
            )
            own = pieces(primitive.positions, primitive.indices)
            piece_numbers.append(own + next_piece)
            next_piece += int(own.max(initial=-1)) + 1
            start += len(primitive.positions)
            faces += len(primitive.indices)
    positions.append(np.zeros((1, 3), np.float32))  # Embree reads beyond the last one
    all_triangles = triangles.whole()
    rays = RayScene(positions.whole()[:-1], all_triangles, compact=True)
    return WorldTriangles(
        rays.positions,
        all_triangles,
        piece_numbers.whole(),
        first_piece,
        np.array(first_face, np.int64),
        tuple(p.id for p in parts),
        rays,
    )
