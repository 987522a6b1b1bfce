"""Images that no set takes to a slot: those that are named like one, sets that fit none, and the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from trasloco.fit.families.kinds import KINDS, NOISE, Fill
from trasloco.fit.families.recognise import Recognised
from trasloco.fit.families.sets import (
    MapSet,
    Member,
    Proposal,
    fillings,
    looked_at,
    name_likeness,
    sets_of,
)
from trasloco.inputs.table import INPUTS
from trasloco.inventory.seeing import Sight
from trasloco.scene.images import Image
from trasloco.scene.model import DEFAULT_MATERIAL, Decision, Material, Scene

_LIKE, _CLEARLY = 0.6, 0.15


@dataclass(frozen=True)
class Lying:
    """What is left of a delivery's images beside the sets that have a slot.

    Attributes:
        proposals: images that are named like a slot or a part and like nothing else: its colour.
        sets: sets that fit no slot. unsure: images nobody can be sure of.
        bare: parts without a material, which have no slot to be filled.
    """

    proposals: tuple[Proposal, ...]
    sets: tuple[MapSet, ...]
    unsure: tuple[Member, ...]
    bare: tuple[str, ...]


def lying(
    scene: Scene, loose: Sequence[Image], seen: Mapping[str, Sight], taken: Sequence[Proposal]
) -> Lying:
    """What is to be told of images that no material reads, beside the proposals that were made."""
    sets, unsure = sets_of(loose, seen)
    going = {member.image for one in taken for member in one.set.members}
    left = tuple(one for one in sets if not {member.image for member in one.members} & going)
    filled = {one.material for one in taken if any(f.input == "base_color" for f in one.fillings)}
    named = _named_like(scene, unsure, seen, filled)
    known = {member.image for one in named for member in one.set.members}
    return Lying(
        tuple(named), left, tuple(one for one in unsure if one.image not in known), tuple(_bare(scene))
    )


def put_by_hand(scene: Scene, material: Material, input: str, image: str) -> tuple[Decision, ...]:
    """What is decided where a person says of an image which input it is for: what a set of that kind would
    fill there (a metalness map wants a metal factor, an opacity map a way to be see-through), in the place of
    what was read before.
    """
    base = material.inputs.get("base_color")
    own = base.texture if base is not None else None
    if input == "opacity" and own is not None and own.image == image and scene.images[image].channels == 4:
        return own_alpha(material)
    kind = next(
        (key for key, one in KINDS.items() if [(f.input, f.invert) for f in one.fills] == [(input, False)]),
        "",
    )
    held = scene.images[image]
    seen = looked_at([held])
    fills = KINDS[kind].fills if kind else (Fill(input, INPUTS[input].written_channels),)
    found = Recognised(held.name, (kind,) if kind else (), fills, (), "Said by hand.")
    given = material.inputs.get(input)
    if given is not None and given.texture is not None:
        kept = replace(given, texture=None)
        material = replace(material, inputs={**material.inputs, input: kept})
    made = fillings(material, MapSet("", (), (Member(image, found),)), seen, scene)
    if made:
        return made[0].decisions
    value = {"image": image, "channels": INPUTS[input].written_channels, "invert": False}
    return (Decision(f"{material.id}/{input}", "image", value),)


def own_alpha(material: Material) -> tuple[Decision, ...]:
    """The alpha of a material's colour image as its opacity, lying as the colour does."""
    base = material.inputs["base_color"].texture
    assert base is not None
    target = f"{material.id}/opacity"
    return (
        Decision(target, "image", {"image": base.image, "channels": "a", "invert": False}),
        Decision(target, "placed_like", "base_color"),
    )


def _named_like(
    scene: Scene, unsure: Sequence[Member], seen: Mapping[str, Sight], filled: set[str]
) -> list[Proposal]:
    """The colour of a material: an image whose name is the material's, or that of a part which wears it.

    The likest image of each material, where none is about as like.
    """
    best: dict[str, list[tuple[float, Member]]] = {}
    for member in unsure:
        image = scene.images[member.image]
        sight = seen.get(image.path or image.name)
        if "might" in member.found.reason or (sight is not None and sight.normals):
            continue
        scored = sorted(
            ((_alike(image.name, material, scene), material.id) for material in scene.materials.values()),
            reverse=True,
        )
        if scored and scored[0][0] >= _LIKE and (len(scored) == 1 or scored[0][0] - scored[1][0] >= _CLEARLY):
            best.setdefault(scored[0][1], []).append((scored[0][0], member))
    made = []
    for material, found in best.items():
        found.sort(key=lambda pair: -pair[0])
        if material in filled or (len(found) > 1 and found[0][0] - found[1][0] < _CLEARLY):
            continue
        name = scene.materials[material].name
        reason = f"It is named like “{name}”, and its name says nothing else: its colour."
        recognised = replace(
            found[0][1].found, kinds=("base_color",), fills=KINDS["base_color"].fills, reason=reason
        )
        words = " ".join(word for word in recognised.key if word not in NOISE)
        one = MapSet(words or name, recognised.key, (Member(found[0][1].image, recognised),))
        filling = tuple(fillings(scene.materials[material], one, seen, scene))
        if filling:
            made.append(Proposal(material, one, reason, filling))
    return made


def _alike(name: str, material: Material, scene: Scene) -> float:
    """How alike a file's and a material's names are, or those of the parts that wear it."""
    stem = name.rsplit(".", 1)[0]
    best = name_likeness(stem, material.name)
    for part in scene.parts():
        mesh = scene.meshes.get(part.mesh or "")
        if mesh is not None and any(p.material == material.id for p in mesh.primitives):
            best = max(best, 0.9 * name_likeness(stem, part.name))
    return best


def _bare(scene: Scene) -> list[str]:
    """Parts of which some faces wear no material of the delivery."""
    return [
        part.id
        for part in scene.parts()
        if (mesh := scene.meshes.get(part.mesh or "")) is not None
        and any(
            len(p.indices) and (p.material is None or p.material == DEFAULT_MATERIAL.id)
            for p in mesh.primitives
        )
    ]
