"""Drafts: what becomes of each input of a material, by the sheets on both sides. No pixel is touched here."""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.draft import Draft, is_default
from trasloco.fit.one_set import on_one_set
from trasloco.fit.steps import FATES, PLANNED
from trasloco.fit.steps.fitting import REASON, brought_by_fit, met_by_others
from trasloco.fit.thin_walls import by_walls
from trasloco.fit.way import Way
from trasloco.inputs.table import DRAWN, INPUTS, ORDER, SCATTERING
from trasloco.scene.glass import absorbs
from trasloco.scene.model import Input, Material

CORE = ("base_color", "metalness", "roughness")


def drafts_of(way: Way) -> tuple[list[Draft], str]:
    """Drafts of all inputs of a material, and its see-through at the destination."""
    drafts = [
        _planned(_begun(name, given, way), way)
        for name, given in sorted(way.material.inputs.items(), key=lambda item: ORDER[item[0]])
        if not _says_nothing(name, given, way.material) and not (way.by_metalness and name == "metalness")
    ]
    drafts = [_as_it_stands(draft, way) for draft in on_one_set(drafts, way)]
    drafts = [met_by_others(draft, way) for draft in drafts]
    drafts += brought_by_fit(drafts, way)
    return drafts, _see_through(drafts, way)


def _as_it_stands(draft: Draft, way: Way) -> Draft:
    """What would lie on new UVs is lost where meshes stand at the destination already."""
    if not draft.baked or way.lays_anew:
        return draft
    why = "It would lie on new UVs, and the meshes stand there already with theirs."
    return replace(draft.lost(why), steps=())


def _see_through(drafts: list[Draft], way: Way) -> str:
    """How a material is seen through at the destination: solid where it cannot be, or where an image that
    does not arrive is all that would say so.
    """
    mode = next((draft.alpha for draft in drafts if draft.alpha), way.material.alpha_mode)
    told = any(draft.target == "opacity" and draft.travels for draft in drafts)
    return mode if mode in way.rules.alpha and (told or way.rules.cut_at == "any") else "opaque"


def _begun(name: str, given: Input, way: Way) -> Draft:
    label = "Gloss" if name == "roughness" and given.origin == "sheet" else INPUTS[name].label
    return Draft(name, label, given, "normal" if name == "height" else name, asked=way.largest)


def _planned(draft: Draft, way: Way) -> Draft:
    draft = _fate_of(draft, way)
    if not draft.travels:
        return draft
    draft = _sized(draft, way)
    for kind in PLANNED:
        if kind.plan is not None:
            draft = kind.plan(draft, way)
    texture = draft.given.texture
    if texture is not None and way.rules.wraps == "repeat" and set(texture.wrap) != {"repeat"}:
        draft = draft.close_unless_told("What lies beyond its border is repeated there.")
    if draft.has("fit"):
        draft = draft.close(f"{draft.reason} {REASON}".strip())
    return by_walls(draft, way)


def _fate_of(draft: Draft, way: Way) -> Draft:
    """What becomes of an input as a whole, before any step is thought of."""
    given = draft.given
    if given.texture is not None and way.image(given) is None:
        image = way.reference.images.get(given.texture.image)
        name = image.name if image is not None else "The image"
        reason = f"{name} is missing or cannot be read. Relink it, or choose another."
        return replace(draft, mark="blocked", reason=reason)
    for kind in FATES:
        told = kind.fate(draft, way) if kind.fate is not None else None
        if told is not None:
            return told
    if way.knows(draft.target):
        return draft
    rule = way.rule(draft.name)
    unseen = "" if draft.name in DRAWN else " The renderer does not show it yet."
    note = f" {rule.note}" if rule is not None else ""
    return draft.lost(f"{way.destination.name} has no such input.{unseen}{note}")


def _sized(draft: Draft, way: Way) -> Draft:
    """With the size of its image as delivered."""
    image = way.image(draft.given)
    if image is None:
        return draft
    return replace(draft, size=way.fitting(draft, image), deep=image.depth > 8 or image.floating)


def _says_nothing(name: str, given: Input, material: Material) -> bool:
    """Inputs at their default, see-through of what is solid, the strength of no emission, the thickness of
    what lets nothing through, and what an inside takes and scatters over a depth that is not told.
    """
    if name not in CORE and is_default(name, given):
        return True
    if name in ("thickness", "diffuse_transmission_color", "emission_strength"):
        return INPUTS[name].beside not in material.inputs
    if name in ("attenuation_color", "attenuation_distance", *SCATTERING):
        return "transmission" not in material.inputs or not absorbs(material)
    return name == "opacity" and material.alpha_mode == "opaque"
