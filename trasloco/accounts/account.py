"""Taking the books: every fact of reference and arrival, held against the promises of the plan."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.accounts.clouds import cloud_facts
from trasloco.accounts.inputs import input_facts
from trasloco.accounts.lamps import camera_facts, lamp_facts
from trasloco.accounts.meshes import mesh_facts
from trasloco.accounts.model import KINDS, Accounts, Fact, booked
from trasloco.accounts.motion import motion_facts
from trasloco.accounts.one_piece import without_parts
from trasloco.accounts.pairing import as_named, paired
from trasloco.accounts.tree import tree_facts
from trasloco.fit.lights import emptied_by, travelling_lamps
from trasloco.fit.model import Passage, Plan
from trasloco.fit.tree import left_behind, names_there
from trasloco.scene.model import Scene
from trasloco.sheets.layouts import has_geometry, in_one_piece
from trasloco.sheets.model import Sheet

Promises = dict[tuple[str, str, str], Passage]


def take_accounts(
    reference: Scene, arrival: Scene, plan: Plan, destination: Sheet, delivered: Scene | None = None
) -> Accounts:
    """The accounts of a move.

    ``delivered`` is the scene that was packed, where light was written down on the way.
    """
    promises: Promises = {passage.key: passage for passage in plan.passages}
    facts = list(_facts(reference, arrival, plan, destination, promises, delivered))
    order = {kind: k for k, kind in enumerate(KINDS)}
    entries = [booked(fact, promises.get((fact.kind, fact.item, fact.aspect))) for fact in facts]
    return Accounts(tuple(sorted(entries, key=lambda entry: order[entry.kind])))


def _facts(
    reference: Scene,
    arrival: Scene,
    plan: Plan,
    destination: Sheet,
    promises: Promises,
    delivered: Scene | None,
) -> Iterator[Fact]:
    travelling = travelling_lamps(reference, plan.lights)
    behind = left_behind(reference, destination, travelling)
    names = names_there(reference, destination, behind)
    emptied = emptied_by(reference, travelling)
    pairs = paired(as_named(reference, names, destination), arrival, behind, emptied)
    if in_one_piece(destination):
        pairs = without_parts(pairs)
    yield from input_facts(reference, arrival, plan, destination, pairs, promises)
    if not has_geometry(destination):
        return  # everything else stands there already, and was not sent
    yield from tree_facts(reference, arrival, destination, plan, pairs, promises)
    yield from mesh_facts(reference, arrival, plan, destination, pairs, promises)
    yield from cloud_facts(reference, arrival, pairs)
    yield from lamp_facts(reference, arrival, pairs, promises, delivered)
    yield from camera_facts(reference, arrival, pairs, promises)
    alone = not destination.structure.groups
    yield from motion_facts(reference, arrival, pairs, promises, alone)
