"""Landing: drafts get their image channel or constant at the destination, and the images to write are listed."""

from __future__ import annotations

from trasloco.fit.draft import Draft
from trasloco.fit.drafts import AFTERWARDS
from trasloco.fit.model import LOSSY, SEQUENCE, Crossing, Landing, PlannedImage, Step
from trasloco.fit.naming import Namer
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.model import Material, Scene
from trasloco.sheets.layouts import speaks
from trasloco.sheets.model import ImageSet, Sheet


def land(
    material: Material, drafts: list[Draft], reference: Scene, destination: Sheet, namer: Namer
) -> tuple[list[Crossing], list[PlannedImage]]:
    """Give every draft its image channel or constant, and list the images."""
    rules, by_set = destination.materials, {}  # type: ignore[var-annotated]
    for draft in drafts:
        if draft.mark in ("lost", "blocked") or not draft.target:
            continue
        place = rules.set_of(draft.target)
        if place is not None:
            draft.set, draft.channel = place
            by_set.setdefault(place[0].name, []).append(draft)
        elif draft.baked:
            draft.mark, draft.reason, draft.target = (
                "lost",
                f"{destination.name} takes no image here, and what is drawn on the surface needs one.",
                "",
            )
        elif draft.given.texture is not None:
            draft.mark, draft.reason = (
                "close",
                f"{destination.name} takes a number here, not an image; the image's mean is used.",
            )
            draft.steps = [Step("value", "mean of the image", {"mean": True})]
    images: list[PlannedImage] = []
    landed: dict[str, tuple[str, str]] = {}
    for one in rules.sets:
        members = list(by_set.get(one.name, []))
        pictured = [d for d in members if d.size is not None]
        _joined_atlas(pictured)
        _apart(pictured, destination)
        members, pictured = [d for d in members if d.target], [d for d in pictured if d.target]
        if not pictured:
            for draft in members:
                if (
                    draft.target not in rules.inputs
                    and tuple(draft.given.factor) != INPUTS[draft.target].default
                ):
                    draft.mark, draft.target = "lost", ""
                    draft.reason = (
                        f"{destination.name} takes it in an image beside others only, and there is none."
                    )
            continue
        images.append(_image(material, one, members, pictured, destination, namer, landed))
    crossings = []
    for draft in drafts:
        identity = f"{material.id}/{draft.name}"
        path, channel = landed.get(draft.name, ("", ""))
        landing = Landing()
        if draft.target and draft.mark not in ("lost", "blocked"):
            value = draft.value if path else tuple(draft.given.factor)
            if path and draft.size is not None:
                count = sum(1 for p, _ in landed.values() if p == path)
                if count > 1 or channel != "rgb":
                    draft.steps.append(Step("pack", f"packed into {channel.upper()}", {"channel": channel}))
            landing = Landing(draft.target, path, channel, value)
        crossings.append(
            Crossing(
                identity,
                material.id,
                draft.name,
                draft.label,
                draft.given,
                tuple(sorted(draft.steps, key=lambda step: SEQUENCE.index(step.kind))),
                landing,
                draft.mark,
                draft.reason,
            )
        )
    return crossings, images


def _joined_atlas(pictured: list[Draft]) -> None:
    """Inputs that share an image with one that is drawn into an atlas are drawn into it too; relief is not,
    since its directions follow the UVs.
    """
    drawn = [draft for draft in pictured if draft.in_atlas]
    for draft in pictured if drawn else ():
        metal = any(step.kind == "metal" for step in draft.steps)
        if not draft.baked and not metal and draft.name not in VECTORS and draft.name != "height":
            after = [step for step in draft.steps if step.kind in AFTERWARDS]
            draft.steps, draft.size = (
                [
                    Step(
                        "flatten", "drawn into the atlas beside its neighbour", {"bake": True, "how": "atlas"}
                    ),
                    *after,
                ],
                drawn[0].size,
            )
            draft.mark, draft.reason, draft.value = (
                "close",
                "Shares its image with one that is drawn anew.",
                (),
            )


def _apart(pictured: list[Draft], destination: Sheet) -> None:
    """Inputs that cannot share an image, since theirs is placed otherwise than most, or that the destination
    cannot place.
    """
    placements = [draft.placement for draft in pictured]
    usual = max(placements, key=placements.count, default=())
    for draft in pictured:
        texture = draft.given.texture
        moved = (
            texture is not None
            and not draft.baked
            and (texture.offset != (0.0, 0.0) or texture.rotation_rad != 0 or texture.scale != (1.0, 1.0))
        )
        if moved and not destination.materials.texture_transform:
            draft.mark, draft.reason, draft.target, draft.set = (
                "lost",
                f"{destination.name} cannot move or repeat an image; bake the placement into the UVs.",
                "",
                None,
            )
        elif draft.placement != usual:
            draft.mark, draft.reason, draft.target, draft.set = (
                "lost",
                "Its image lies otherwise on the surface than the one it would be packed with.",
                "",
                None,
            )


def _image(
    material: Material,
    one: ImageSet,
    members: list[Draft],
    pictured: list[Draft],
    destination: Sheet,
    namer: Namer,
    landed: dict[str, tuple[str, str]],
) -> PlannedImage:
    width, height = max(d.size[0] for d in pictured if d.size), max(d.size[1] for d in pictured if d.size)
    path = namer.path(material.name, one.name)
    channels: dict[str, str] = {}
    fill: dict[str, float] = {}
    for draft in members:
        channels[draft.channel] = f"{material.id}/{draft.name}"
        landed[draft.name] = (path, draft.channel)
        if draft.size is None:
            rule = destination.materials.inputs.get(draft.target)
            if rule is not None and rule.multiplies:
                draft.value = tuple(draft.given.factor)
            draft.steps.append(
                Step("value", f"filled into {draft.channel.upper()}")
                if not draft.value
                else Step("value", "a number beside the image", {"beside": True})
            )
        elif draft.size != (width, height):
            draft.steps = [s for s in draft.steps if s.kind != "resize"]
            draft.steps.append(
                Step(
                    "resize", f"brought to {width} × {height} beside its neighbours", {"to": [width, height]}
                )
            )
            draft.mark, draft.reason = (
                "close",
                draft.reason or "Packed with a larger image; resampled in linear light.",
            )
    if destination.images.kind in LOSSY:
        for draft in pictured:
            draft.mark, draft.reason = "close", draft.reason or LOSSY[destination.images.kind]
    for channel, name in one.channels.items():
        if channel not in channels and channel != "a":
            for letter in channel:
                fill[letter] = INPUTS[name].default[0]
    if speaks(destination, "gltf"):
        for draft in pictured:
            place = INPUTS[draft.target].gltf
            fill |= {
                letter: value
                for letter, value in (place.fill if place else {}).items()
                if letter not in channels
            }
    between = any(draft.falls_between_codes(one.encoding) for draft in pictured) or any(
        draft.size is None and not draft.value for draft in members
    )
    depth = destination.images.depth if between else 8
    return PlannedImage(
        path,
        material.id,
        one.name,
        width,
        height,
        depth,
        destination.images.kind,
        one.encoding,
        channels,
        fill,
    )
