"""Names a destination stumbles over: made by a machine, twice, different in case only, with forbidden
characters, too long.
"""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.inventory.context import Context
from trasloco.inventory.naming import MOST, is_automatic, legal_name, proposals
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision


def odd_names(context: Context) -> Iterator[Finding]:
    """One finding a kind and group, with a proposal for every name."""
    scene = context.scene
    for what, items in (
        ("parts", [(p.id, p.name) for p in scene.parts()]),
        ("materials", [(m.id, m.name) for m in scene.materials.values()]),
    ):
        by_name: dict[str, list[str]] = {}
        by_fold: dict[str, set[str]] = {}
        for id, name in items:
            by_name.setdefault(name, []).append(id)
            by_fold.setdefault(name.casefold(), set()).add(name)
        automatic = [id for id, name in items if is_automatic(name)]
        twice = [id for ids in by_name.values() if len(ids) > 1 for id in ids[1:]]
        folded = [id for id, name in items if len(by_fold[name.casefold()]) > 1]
        illegal = [id for id, name in items if legal_name(name) != name and len(name) <= MOST]
        long = [id for id, name in items if len(name) > MOST]
        for kind, ids, title, consequence, weight in (
            (
                "automatic_names",
                automatic,
                "Names made by a machine",
                "Slots and parts cannot be told apart at the destination.",
                15,
            ),
            (
                "double_names",
                twice,
                "The same name several times",
                "A destination that goes by name joins them, or renames them by itself.",
                18,
            ),
            (
                "case_names",
                folded,
                "Names that differ in case only",
                "Where case does not count they are the same name, and one overwrites the other.",
                24,
            ),
            (
                "illegal_names",
                illegal,
                "Names with characters that are not allowed",
                "They are changed on arrival, and the next revision no longer fits.",
                19,
            ),
            (
                "long_names",
                long,
                "Names that are too long",
                f"Beyond {MOST} characters they are cut, and may become equal.",
                14,
            ),
        ):
            if ids:
                named = dict(items)
                shown = ", ".join((named[id] or "(empty)")[:40] for id in ids[:3])
                mends = (
                    Mend(
                        "Rename as proposed",
                        tuple(Decision(id, "name", new) for id, new in proposals(scene, what, ids).items()),
                    ),
                )
                yield Finding(
                    f"{kind}:{what}",
                    kind,
                    title,
                    f"{len(ids)} of {len(items)} {what} · {shown}",
                    consequence,
                    tuple(ids),
                    weight,
                    {"count": len(ids)},
                    mends,
                )
