"""What slots wear under each name, on both sides."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from trasloco.accounts.model import Fact
from trasloco.accounts.pairing import Pairs
from trasloco.scene.model import Mesh, Primitive


def variant_facts(
    mesh: Mesh, sent: Sequence[Primitive], arrived: Sequence[Primitive], pairs: Pairs
) -> Iterator[Fact]:
    """Of a mesh whose filled slots were sent and arrived, slot by slot: what each wears by name beside what it
    wears now.
    """
    meant = [
        {name: pairs.materials.get(id) for name, id in p.variants.items() if id != p.material} for p in sent
    ]
    came = [{name: id for name, id in p.variants.items() if id != p.material} for p in arrived]
    if any(meant) or any(came):
        told, here = ({name for one in side for name in one} for side in (meant, came))
        yield Fact(
            "mesh",
            mesh.id,
            "variants",
            mesh.name,
            ", ".join(sorted(told)),
            ", ".join(sorted(here)) or "none",
            meant == came,
            gone=not any(came),
        )
