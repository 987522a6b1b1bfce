"""Materials for a destination that knows one UV set: what lies otherwise than most is drawn onto one new set,
together with everything beside it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import replace

from trasloco.fit.atlas import SIDE
from trasloco.fit.crossings import baked
from trasloco.fit.draft import Draft
from trasloco.fit.model import Crossing, Step
from trasloco.fit.steps.afterwards import on_the_whole
from trasloco.fit.way import Way
from trasloco.scene.model import Texture

_PLAIN_WRAPS = (("repeat", "repeat"), ("clamp", "clamp"))


def on_one_set(drafts: list[Draft], way: Way) -> list[Draft]:
    """Drafts whose images all lie on one UV set, as the destination can lay them."""
    if way.destination.structure.uv_sets != "one":
        return drafts
    pictured = [d for d in drafts if _pictured(d, way)]
    sets = [d.given.texture.uv_set for d in pictured if d.given.texture is not None and not d.baked]
    drawn = any(d.baked for d in pictured) and len(pictured) > 1
    if not drawn and len(set(sets)) <= 1 and not any(_awkward(d, way) for d in pictured):
        return drafts
    return [_drawn(d) if _pictured(d, way) else d for d in drafts]


def _pictured(draft: Draft, way: Way) -> bool:
    return draft.travels and draft.size is not None and way.rules.set_of(draft.target) is not None


def _awkward(draft: Draft, way: Way) -> bool:
    """Whether its image lies as the destination cannot lay it."""
    texture = draft.given.texture
    if texture is None or draft.baked:
        return False
    moved = texture.offset != (0.0, 0.0) or texture.rotation_rad != 0 or texture.scale != (1.0, 1.0)
    turned = texture.rotation_rad != 0
    wrapped = way.rules.wraps == "repeat or clamp" and texture.wrap not in _PLAIN_WRAPS
    return wrapped or turned or (moved and not way.rules.texture_transform)


def _drawn(draft: Draft) -> Draft:
    if draft.vectors:
        return draft.lost(
            "Its image lies on other UVs than the one set there is; relief cannot be drawn anew."
        )
    if draft.has("metal") or draft.in_atlas:
        return draft
    size = (SIDE, SIDE)
    step = Step("flatten", "drawn onto the one UV set", {"bake": True, "how": "atlas"})
    made = replace(draft, steps=(step, *on_the_whole(draft.steps)), size=size, value=())
    return made.close("Drawn onto a new UV set, beside what lies otherwise.")


def kept_sets(crossings: Iterable[Crossing]) -> dict[str, int | None]:
    """Which UV set of a material's primitives travels, by material; None where it is a new one."""
    found: dict[str, Counter[int]] = {}
    new: set[str] = set()
    for crossing in crossings:
        if not crossing.landing.image:
            continue
        if baked(crossing):
            new.add(crossing.material)
        elif crossing.given.texture is not None:
            found.setdefault(crossing.material, Counter())[crossing.given.texture.uv_set] += 1
    kept: dict[str, int | None] = {id: sets.most_common(1)[0][0] for id, sets in found.items()}
    return {**kept, **dict.fromkeys(new)}


def onto_first(texture: Texture) -> Texture:
    return replace(texture, uv_set=0)
