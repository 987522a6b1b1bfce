"""The Handover stop."""

from __future__ import annotations

from typing import Any

from trasloco.accounts.telling import accounts_json
from trasloco.results.route import Route


def accounts_out(route: Route) -> dict[str, Any]:
    known = route.known_accounts()
    if known is None:
        return {"known": False, "version": route.accounts_name.key}
    scene = route.reference()
    counts = (
        ("part", len(scene.parts())),
        ("material", len(scene.materials)),
        ("image", len(scene.images)),
        ("light", len(scene.lights)),
        ("camera", len(scene.cameras)),
        ("clip", len(scene.clips)),
    )
    things = ", ".join(f"{count} {name}{'' if count == 1 else 's'}" for name, count in counts if count)
    return {
        "known": True,
        "version": route.accounts_name.key,
        "things": things,
        **accounts_json(known, route.decisions),
    }
