"""Numbers that stay numbers: beside an image, in a strength, in a level."""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.draft import Draft, is_default
from trasloco.fit.formulas.shine import level_of_index
from trasloco.fit.model import Step
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.inputs.table import INPUTS
from trasloco.sheets.layouts import speaks


def _fate(draft: Draft, way: Way) -> Draft | None:
    if draft.name in ("emission", "emission_strength") and _strength_goes_in(way):
        return _in_one_number(draft, way)
    return _level(draft, way)


def _strength_goes_in(way: Way) -> bool:
    """Whether the strength of emission has no place of its own, and the number of emission can take it: where
    there is no image, and the format does not end at 1.
    """
    given = way.material.inputs.get("emission")
    plain = given is not None and given.texture is None and not given.layers
    strength = way.material.inputs.get("emission_strength")
    told = strength is not None and not is_default("emission_strength", strength)
    bounded = speaks(way.destination, "gltf")
    return plain and told and way.knows("emission") and not way.knows("emission_strength") and not bounded


def _in_one_number(draft: Draft, way: Way) -> Draft:
    strength = way.material.inputs["emission_strength"].factor[0]
    if draft.name == "emission_strength":
        return replace(draft.then(Step("value", "said together with the colour of emission")), target="")
    given = replace(draft.given, factor=tuple(f * strength for f in draft.given.factor))
    said = Step("value", f"times {strength:g}, its strength", {"with_strength": True})
    return replace(draft.then(said), given=given)


def _level(draft: Draft, way: Way) -> Draft | None:
    """An index of refraction as the specular level with the same reflectance, together with the specular
    weight.
    """
    if draft.name not in ("ior", "specular") or not _index_is_level(way):
        return None
    inputs = way.material.inputs
    weight = inputs["specular"].factor[0] if "specular" in inputs else 1.0
    index = inputs["ior"].factor[0]
    level = level_of_index(index) * weight
    if draft.name == "specular":
        said = draft.then(Step("value", "said together with the index, by one level"))
        made = replace(said, target="")
    else:
        said = draft.then(Step("value", f"index {index:g} as specular level {min(level, 1):.2f}"))
        made = replace(said, target="specular", given=replace(draft.given, factor=(min(level, 1.0),)))
    if level <= 1 + 1e-6:
        return made
    return made.close(f"A level of {level:.2f} would be needed; 1 is the most there is.")


def _index_is_level(way: Way) -> bool:
    """Whether the destination takes the level only, and no image is in the way."""
    index, weight = way.material.inputs.get("ior"), way.material.inputs.get("specular")
    if index is None or is_default("ior", index) or way.knows("ior") or not way.knows("specular"):
        return False
    return index.texture is None and (weight is None or weight.texture is None)


def _plan(draft: Draft, way: Way) -> Draft:
    if draft.tinted and draft.name == "emission" and way.knows("emission_strength"):
        draft = _above_one(draft)
    rule = way.rule(draft.target)
    if not draft.tinted or rule is None or not rule.multiplies or draft.has("shade"):
        return draft
    factor = draft.given.factor
    said = (
        "tint kept beside the image"
        if INPUTS[draft.name].color
        else f"times {factor[0]:g}, kept beside the image"
    )
    return replace(draft.then(Step("value", said, {"beside": True})), value=tuple(factor))


def _above_one(draft: Draft) -> Draft:
    """A tint above 1 beside an image of emission: its brightest part goes into the strength, since files hold
    no more than 1.
    """
    top = max(draft.given.factor)
    if top <= 1:
        return draft
    given = replace(draft.given, factor=tuple(f / top for f in draft.given.factor))
    said = Step("value", f"times {top:g}, in the strength", {"emission_strength": top})
    return replace(draft.then(said), given=given)


KIND = Kind("value", fate=_fate, plan=_plan, whole_codes=True)
