"""Presses that decide several things at once: the decisions they stand for."""

from __future__ import annotations

import itertools
import re
from collections.abc import Mapping, Sequence

from trasloco.errors import Refused
from trasloco.fit.families.lying import put_by_hand
from trasloco.inputs.table import INPUTS
from trasloco.inventory.naming import renamed
from trasloco.mends.copied_inputs import copied_settings, swapped_inputs
from trasloco.mends.making import made
from trasloco.results.looking import beside
from trasloco.results.route import Route
from trasloco.scene.model import Decision
from trasloco.shelf import put_on


def copying(route: Route, source: str, targets: Sequence[str], inputs: Sequence[str]) -> list[Decision]:
    """A material's settings, all or some inputs, given to others. Raises Refused: no such material."""
    return copied_settings(route.settled(), source, targets, inputs)


def swapping(route: Route, material: str, first: str, second: str) -> list[Decision]:
    """What two inputs of a material read, swapped. Raises Refused: no such input, or of another kind."""
    return swapped_inputs(route.settled(), material, first, second)


def from_shelf(route: Route, wanted: Sequence[tuple[str, str]]) -> list[Decision]:
    """Materials of the library put on slots: (slot, name) each. Raises Refused: no such slot or material."""
    scene = route.settled()
    return [decision for slot, name in wanted for decision in put_on(scene, slot, name)]


def making(
    route: Route,
    name: str,
    like: str | None,
    shelf: str | None,
    on: Sequence[str],
    faces: Mapping[str, Sequence[int]],
) -> list[Decision]:
    """A new material, put on parts and groups (``on``) and on faces by part, numbered as received.

    It starts plain, as another material of the move (``like``), or as one of the library (``shelf``).

    Raises:
        Refused: a material of that name is there, or there is nothing of the name to start from.
    """
    scene = route.settled()
    if name in {m.name for m in scene.materials.values()}:
        raise Refused(f"There is a {name} already.", name, "Give it another name, or put that one on.")
    taken = {*scene.materials, *(d.target for d in route.decisions)}
    stem = "material:" + re.sub(r"\W+", "-", name).strip("-").lower()
    id = next(i for n in itertools.count() if (i := stem + "-made" + (f"-{n + 1}" if n else "")) not in taken)
    first = Decision(id, "made", {"name": name})
    with_it = made(scene, id, first.value)
    start: list[Decision] = []
    if shelf is not None:
        start = put_on(with_it, id, shelf)
    elif like is not None:
        start = copied_settings(with_it, like, [id])
    return [
        first,
        *start,
        *(Decision(target, "wears", {"material": id}) for target in on),
        *(
            Decision(part, "faces_slot", [{"slot": name, "faces": list(picked)}])
            for part, picked in faces.items()
            if picked
        ),
    ]


def renaming(route: Route, ids: Sequence[str], pattern: str, find: str) -> dict[str, str]:
    """The names a pattern would give to parts, materials and images, by their ids; nothing is decided yet."""
    scene = route.settled()
    groups = (scene.nodes, scene.materials, scene.images)
    named = {id: group[id].name for id in ids for group in groups if id in group}
    return renamed(named, pattern, find)


def using_image(route: Route, target: str, image: str) -> list[Decision]:
    """An image of the delivery read by an input that a person names, with what such an image wants beside it.

    Raises:
        Refused: there is no such input, or the image cannot be read.
    """
    material_id, _, name = target.rpartition("/")
    scene = beside(route)
    material, held = scene.materials.get(material_id), scene.images.get(image)
    if material is None or name not in INPUTS:
        raise Refused("There is no such input.", target, "Reload the page.")
    if held is None or not held.usable:
        raise Refused(
            "There is no such image that can be read.", image, "Choose one of the images that wait."
        )
    return list(put_by_hand(scene, material, name, image))


def using(route: Route, target: str, path: str) -> list[Decision]:
    """A file of the delivery read by an input, through the channels that were read before.

    Raises:
        Refused: the file is no image that can be read, or there is no such input.
    """
    material_id, _, name = target.rpartition("/")
    material, row = route.reference().materials.get(material_id), INPUTS.get(name)
    if material is None or row is None:
        raise Refused("There is no such input.", target, "Reload the page.")
    images = route.received().scene.images.values()
    found = next((i for i in images if i.path == path), None) or next(
        (i for i in images if i.name == path.rsplit("/", 1)[-1]), None
    )
    if found is None or not found.usable:
        raise Refused(
            found.problem if found is not None and found.problem else "It is no image that can be read.",
            path,
            "Give a PNG, JPEG, TIFF, EXR or another image. It stays with the delivery.",
        )
    given = material.inputs.get(name)
    channels = (
        given.texture.channels if given is not None and given.texture is not None else row.written_channels
    )
    return [Decision(target, "image", {"image": found.id, "channels": channels, "invert": False})]
