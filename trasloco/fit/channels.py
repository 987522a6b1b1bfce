"""Places at the destination: drafts get their image channel or constant, and the images to write are listed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable
from dataclasses import replace

from trasloco.fit.draft import Draft
from trasloco.fit.model import LOSSY, Crossing, Landing, PlannedImage, Step
from trasloco.fit.naming import Namer
from trasloco.fit.steps import falls_between_codes, in_order
from trasloco.fit.steps.afterwards import on_the_whole
from trasloco.fit.steps.packing import packed
from trasloco.fit.way import Way
from trasloco.inputs.table import INPUTS
from trasloco.sheets.layouts import images_alone, speaks
from trasloco.sheets.model import ImageSet, Sheet

Size = tuple[int, int]
_EVEN = (8, 8)
"""The size of an image that is the same everywhere."""


def land(drafts: list[Draft], way: Way, namer: Namer) -> tuple[list[Crossing], list[PlannedImage]]:
    """Give every draft its image channel or constant, and list the images."""
    held = {draft.name: _placed(draft, way) for draft in drafts}
    images: list[PlannedImage] = []
    landed: dict[str, str] = {}
    for one in way.rules.sets:
        of_set = [d for d in held.values() if d.set is not None and d.set.name == one.name]
        of_set = _apart(_joined(of_set), way)
        members = [draft for draft in of_set if draft.target]
        pictured = any(draft.size is not None for draft in members)
        if pictured or (members and images_alone(way.destination)):
            planned, members = _image(members, one, way, namer)
            images.append(planned)
            landed |= {draft.name: planned.path for draft in members}
        else:
            members = [_alone(draft, way) for draft in members]
        held |= {draft.name: draft for draft in (*of_set, *members)}
    counts = Counter(landed.values())
    shared = {path for path, count in counts.items() if count > 1}
    return [_crossing(d, way, landed.get(d.name, ""), shared) for d in held.values()], images


def _placed(draft: Draft, way: Way) -> Draft:
    """With the image and channel that the destination has for it."""
    if not draft.travels:
        return draft
    place, name = way.rules.set_of(draft.target), way.destination.name
    beyond = _beyond_an_image(draft, way)
    if place is not None and not beyond:
        draft = replace(draft, set=place[0], channel=place[1])
        return _as_an_image(draft, way) if images_alone(way.destination) else draft
    if draft.has("points"):
        return draft
    if draft.baked:
        return draft.lost(f"{name} takes no image here, and what is drawn on the surface needs one.")
    if draft.given.texture is None:
        return draft
    mean = (Step("value", "mean of the image", {"mean": True}),)
    why = (
        "no number beside an image, which holds up to 1 by itself"
        if beyond
        else "a number here, not an image"
    )
    return replace(draft, steps=mean).close(f"{name} takes {why}; the image's mean is used.")


def _as_an_image(draft: Draft, way: Way) -> Draft:
    """A number that an image has to hold, from 0 to 1."""
    floating = way.destination.images.kind == "exr"
    if floating or draft.size is not None or all(0 <= value <= 1 for value in draft.given.factor):
        return draft
    told = " ".join(f"{value:.3g}" for value in draft.given.factor)
    if INPUTS[draft.target].measure:
        return replace(draft.lost(f"{told} is no share of anything, and an image holds 0 to 1."), set=None)
    return draft.close(f"{told} is cut to what an image holds, 0 to 1.")


def _beyond_an_image(draft: Draft, way: Way) -> bool:
    """Whether an image would need a number beside it that the destination does not take: a length, an index."""
    rule = way.rule(draft.target)
    above = draft.given.texture is not None and any(f > 1.0 for f in draft.given.factor)
    return above and INPUTS[draft.target].measure and not (rule is not None and rule.multiplies)


def _joined(of_set: list[Draft]) -> list[Draft]:
    """Inputs that share an image with one that is drawn into an atlas are drawn into it too; relief is not,
    since its directions follow the UVs.
    """
    drawn = next((draft for draft in of_set if draft.size is not None and draft.in_atlas), None)
    if drawn is None:
        return of_set
    beside = Step("flatten", "drawn into the atlas beside its neighbour", {"bake": True, "how": "atlas"})
    return [
        draft
        if draft.size is None or draft.baked or draft.has("metal") or draft.vectors
        else replace(draft, steps=(beside, *on_the_whole(draft.steps)), size=drawn.size, value=()).close(
            "Shares its image with one that is drawn anew."
        )
        for draft in of_set
    ]


def _apart(of_set: list[Draft], way: Way) -> list[Draft]:
    """Those that cannot share an image are lost: their own is placed otherwise than most."""
    placements = [draft.placement for draft in of_set if draft.size is not None]
    usual = max(placements, key=placements.count, default=())
    return [draft if draft.size is None else _lying(draft, usual, way) for draft in of_set]


def _lying(draft: Draft, usual: tuple[object, ...], way: Way) -> Draft:
    texture = draft.given.texture
    moved = (
        texture is not None
        and not draft.baked
        and (texture.offset != (0.0, 0.0) or texture.rotation_rad != 0 or texture.scale != (1.0, 1.0))
    )
    if moved and not way.rules.texture_transform:
        reason = f"{way.destination.name} cannot move or repeat an image; bake the placement into the UVs."
    elif draft.placement != usual:
        reason = "Its image lies otherwise on the surface than the one it would be packed with."
    else:
        return draft
    return replace(draft.lost(reason), set=None)


def _alone(draft: Draft, way: Way) -> Draft:
    """A number whose place is a channel of an image, where nothing is pictured in that image."""
    unsaid = tuple(draft.given.factor) == INPUTS[draft.target].default
    if draft.target in way.rules.inputs or unsaid:
        return draft
    return draft.lost(f"{way.destination.name} takes it in an image beside others only, and there is none.")


def _image(members: list[Draft], one: ImageSet, way: Way, namer: Namer) -> tuple[PlannedImage, list[Draft]]:
    """The image of a set, and its members as they lie in it."""
    material, rules = way.material, way.files(any("a" in draft.channel for draft in members))
    sizes = [draft.size for draft in members if draft.size is not None] or [_EVEN]
    size = max(w for w, _ in sizes), max(h for _, h in sizes)
    members = [
        _filled(d, way, rules.kind) if d.size is None else _beside(d, size, rules.kind) for d in members
    ]
    pictured = [draft for draft in members if draft.size is not None]
    between = any(falls_between_codes(draft, one.encoding) for draft in pictured) or any(
        draft.size is None and not draft.value for draft in members
    )
    planned = PlannedImage(
        namer.path(way.file_name, one.name, rules.kind),
        material.id,
        one.name,
        *size,
        rules.depth if between and rules.kind != "exr" else 8,
        rules.kind,
        "linear" if rules.kind == "exr" else one.encoding,
        {draft.channel: f"{material.id}/{draft.name}" for draft in members},
        fill_of(
            one,
            {draft.channel for draft in members},
            [draft.target for draft in members if draft.size is not None],
            way.destination,
        ),
        coding=rules.coding,
        loss=rules.loss,
    )
    return planned, members


def fill_of(
    one: ImageSet, taken: Collection[str], pictured: Iterable[str], destination: Sheet
) -> dict[str, float]:
    """What channels hold that are not ``taken``: what says nothing, beside the inputs that are ``pictured``."""
    fill = {
        letter: INPUTS[name].default[0]
        for channel, name in one.channels.items()
        if channel not in taken and channel != "a"
        for letter in channel
    }
    for name in pictured if speaks(destination, "gltf") else ():
        place = INPUTS[name].gltf
        around = place.fill if place is not None else {}
        fill |= {letter: value for letter, value in around.items() if letter not in taken}
    return fill


def _filled(draft: Draft, way: Way, kind: str) -> Draft:
    """A number whose place is a channel: beside the image where the destination multiplies, else filled in."""
    rule = way.rule(draft.target)
    if rule is not None and rule.multiplies:
        draft = replace(draft, value=tuple(draft.given.factor))
    if draft.value:
        return draft.then(Step("value", "a number beside the image", {"beside": True}))
    filled = draft.then(Step("value", f"filled into {draft.channel.upper()}"))
    if images_alone(way.destination):
        filled = filled.close_unless_told("An image holds it to the nearest of its codes.")
    return filled.close_unless_told(LOSSY[kind]) if kind in LOSSY else filled


def _beside(draft: Draft, size: Size, kind: str) -> Draft:
    """An image brought to the size of the one it lies in."""
    if draft.size != size:
        said = f"brought to {size[0]} × {size[1]} beside its neighbours"
        others = tuple(step for step in draft.steps if step.kind != "resize")
        draft = replace(draft, steps=(*others, Step("resize", said, {"to": list(size)})))
        draft = draft.close_unless_told("Packed with a larger image; resampled in linear light.")
    return draft.close_unless_told(LOSSY[kind]) if kind in LOSSY else draft


def _crossing(draft: Draft, way: Way, path: str, shared: set[str]) -> Crossing:
    landing = Landing()
    if draft.travels:
        if path and draft.size is not None and (path in shared or draft.channel != "rgb"):
            draft = draft.then(packed(draft.channel))
        value = draft.value if path or draft.has("points") else tuple(draft.given.factor)
        landing = Landing(draft.target, path, draft.channel if path else "", value)
    return Crossing(
        f"{way.material.id}/{draft.name}",
        way.material.id,
        draft.name,
        draft.label,
        draft.given,
        in_order(draft.steps),
        landing,
        draft.mark,
        draft.reason,
    )
