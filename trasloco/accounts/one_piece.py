"""Parts that arrive in one mesh of everything: which of its faces are theirs."""

from __future__ import annotations

from dataclasses import dataclass, replace

from trasloco.accounts.pairing import Pairs
from trasloco.accounts.standing import expected_parts
from trasloco.scene.joining import faceted
from trasloco.scene.model import Mesh, Node, Scene
from trasloco.sheets.layouts import in_one_piece
from trasloco.sheets.model import Sheet


@dataclass(frozen=True)
class OnePiece:
    """The one part that arrived, its mesh, and the first face there of each part that was sent, by id."""

    node: Node
    mesh: Mesh
    first: dict[str, int]

    def of(self, node: str, count: int) -> Mesh:
        """A part's faces, ``count`` of them, as a mesh of its own."""
        (whole,) = self.mesh.primitives
        start = self.first[node]
        return replace(self.mesh, primitives=(replace(whole, indices=whole.indices[start : start + count]),))

    def as_joined(self, meant: Mesh) -> Mesh:
        """A part's mesh with the normals of its faces, where it has none and others do: one mesh has them
        everywhere.
        """
        if self.mesh.primitives[0].normals is None:
            return meant
        slots = tuple(faceted(p) if p.normals is None else p for p in meant.primitives)
        return replace(meant, primitives=slots)


def one_piece(reference: Scene, arrival: Scene, destination: Sheet) -> OnePiece | None:
    """None where parts arrive by themselves, or nothing arrived."""
    parts = arrival.parts()
    if not in_one_piece(destination) or len(parts) != 1:
        return None
    mesh = arrival.meshes[parts[0].mesh or ""]
    if len(mesh.primitives) != 1:
        return None
    first, start = {}, 0
    for node, meant in expected_parts(reference, destination):
        first[node.id] = start
        start += sum(len(p.indices) for p in meant.primitives)
    return OnePiece(parts[0], mesh, first)


def without_parts(pairs: Pairs) -> Pairs:
    """Pairs of everything but parts, of which none arrived as such."""
    return replace(pairs, nodes={}, meshes={}, new_nodes=())
