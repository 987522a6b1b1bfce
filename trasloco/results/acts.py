"""Presses that decide several things at once: the decisions they stand for."""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Mapping, Sequence
from typing import Any

from trasloco.errors import Refused
from trasloco.fit.families.lying import put_by_hand
from trasloco.inputs.table import INPUTS
from trasloco.inventory.naming import renamed
from trasloco.mends.cameras import MADE
from trasloco.mends.copied_inputs import copied_settings, swapped_inputs
from trasloco.mends.covering import rims_beside
from trasloco.mends.differing import difference, varied
from trasloco.mends.making import made
from trasloco.mends.settling import decided
from trasloco.results.grouping import dressing
from trasloco.results.lightings import lighting_by
from trasloco.results.looking import beside
from trasloco.results.route import Route
from trasloco.scene.model import Decision, Scene
from trasloco.shelf import put_on


def copying(route: Route, source: str, targets: Sequence[str], inputs: Sequence[str]) -> list[Decision]:
    """A material's settings, all or some inputs, given to others. Raises Refused: no such material."""
    return copied_settings(route.settled(), source, targets, inputs)


def swapping(route: Route, material: str, first: str, second: str) -> list[Decision]:
    """What two inputs of a material read, swapped. Raises Refused: no such input, or of another kind."""
    return swapped_inputs(route.settled(), material, first, second)


def differing(route: Route, first: str, second: str) -> dict[str, list[str]]:
    """How a material differs from another, or from itself as received, in words, and what of it others cannot
    take. Raises Refused: no such material.
    """
    changes, left = difference(route.settled(), first, second, route.as_received())
    return {"changes": [f"{INPUTS[c.name].label} {c.words()}" for c in changes], "left": left}


def varying(
    route: Route, first: str, second: str, targets: Sequence[str], amount: float
) -> tuple[list[Decision], list[str]]:
    """The difference between two materials put on others, to a share of it; and what could not be, in words.

    Raises:
        Refused: no such material; nothing that others can take.
    """
    scene = route.settled()
    changes, _ = difference(scene, first, second, route.as_received())
    made, left = varied(scene, changes, targets, amount)
    if not made:
        raise Refused(
            "There is no difference that these materials can take.",
            ", ".join(scene.materials[id].name for id in targets),
            " ".join(left) or "Change the one that is worn first: its numbers, or layers over its inputs.",
        )
    return made, left


def from_shelf(route: Route, wanted: Sequence[tuple[str, str]]) -> list[Decision]:
    """Materials of the library put on slots: (slot, name) each. Raises Refused: no such slot or material."""
    scene = route.settled()
    return [decision for slot, name in wanted for decision in put_on(scene, slot, name)]


def need_free_name(scene: Scene, name: str) -> None:
    """Raises Refused: a material of that name is there."""
    if name in {m.name for m in scene.materials.values()}:
        raise Refused(f"There is a {name} already.", name, "Give it another name, or put that one on.")


def making(
    route: Route,
    name: str,
    like: str | None,
    shelf: str | None,
    on: Sequence[str],
    faces: Mapping[str, Sequence[int]],
    look: str | None = None,
) -> list[Decision]:
    """A new material, put on parts and groups (``on``) and on faces by part, numbered as received.

    It starts plain, as another material of the move (``like``), as one of the library (``shelf``), or with
    the look of one that came along and that nobody wears (``look``).

    Raises:
        Refused: a material of that name is there, or there is nothing of the name to start from.
    """
    if not on and not any(faces.values()):
        raise Refused(
            "A material that nothing wears does not travel.", name, "Choose the parts or faces that wear it."
        )
    scene = route.settled()
    need_free_name(scene, name)
    taken = {*scene.materials, *(d.target for d in route.decisions)}
    stem = "material:" + re.sub(r"\W+", "-", name).strip("-").lower()
    id = next(i for n in itertools.count() if (i := stem + "-made" + (f"-{n + 1}" if n else "")) not in taken)
    first = Decision(id, "made", {"name": name})
    with_it = made(scene, id, first.value)
    start: list[Decision] = []
    if shelf is not None:
        start = put_on(with_it, id, shelf)
    elif look is not None:
        start = [Decision(id, "use_material", look)]
    elif like is not None:
        start = copied_settings(with_it, like, [id])
    return [
        first,
        *start,
        *(dressing(route, id, on, None) if on else []),
        *(
            Decision(part, "faces_slot", [{"slot": name, "faces": list(picked)}])
            for part, picked in faces.items()
            if picked
        ),
    ]


def covering(route: Route, faces: Mapping[str, Sequence[int]]) -> list[Decision]:
    """Openings beside picked faces (by part, numbered as received) covered.

    Raises:
        Refused: there is no opening beside them.
    """
    scene = route.as_received()
    made: list[Decision] = []
    for part, picked in faces.items():
        node = scene.nodes.get(part)
        if node is None or node.mesh is None:
            continue
        rims = rims_beside(scene.meshes[node.mesh], picked)
        if rims:
            made.append(Decision(part, "cover_holes", [int(rim.faces[0]) for rim in rims]))
    if not made:
        raise Refused(
            "No opening is beside these faces.",
            ", ".join(scene.nodes[part].name for part in faces if part in scene.nodes),
            "Pick a face at the border of the hole; everything that is open shows its back when one looks in.",
        )
    return made


def camera_here(
    route: Route,
    camera: str | None,
    name: str,
    matrix: Sequence[float],
    yfov_rad: float,
    aspect: float | None,
    shift: tuple[float, float] = (0.0, 0.0),
) -> list[Decision]:
    """A camera put where one stands, or a new one made there.

    Raises:
        Refused: there is no such camera.
    """
    place: dict[str, Any] = {"matrix": [float(v) for v in matrix], "yfov_rad": yfov_rad}
    if any(shift):
        place["shift"] = list(shift)
    scene = route.settled()
    if camera is not None:
        if camera not in scene.cameras:
            raise Refused("There is no such camera.", camera, "Reload the page.")
        told = decided(route.decisions, camera, "shot")
        kept = {k: v for k, v in (told.value or {}).items() if k in ("name", "aspect")} if told else {}
        # An angle that was chosen by hand before gives way to the view's.
        chosen = decided(route.decisions, camera, "yfov_deg") is not None
        angle = [Decision(camera, "yfov_deg", math.degrees(yfov_rad))] if chosen else []
        return [Decision(camera, "shot", {**kept, **place}), *angle]
    taken = {d.target for d in route.decisions}
    id = next(one for n in itertools.count(1) if (one := f"{MADE}{n}") not in taken)
    names = {one.name for one in scene.cameras.values()}
    called = name or next(one for n in itertools.count(1) if (one := f"Camera {n}") not in names)
    return [Decision(id, "shot", {"name": called, "aspect": aspect, **place})]


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


def read_so(route: Route, target: str, path: str, channels: str, invert: bool) -> Decision:
    """A file of the delivery read by an input through these channels. Raises Refused where it did not arrive
    as an image.
    """
    found = next((i for i in route.received().scene.images.values() if i.path == path), None)
    if found is None or not found.usable:
        raise Refused("It is no image that can be read.", path, "It stays with the delivery.")
    return Decision(target, "image", {"image": found.id, "channels": channels, "invert": invert})


def using(route: Route, target: str, path: str) -> list[Decision]:
    """A file of the delivery read by an input, through the channels that were read before.

    Raises:
        Refused: the file is no image that can be read, or there is no such input.
    """
    if target == "environment":
        sent = route.received().scene.images.values()
        light = next((i for i in sent if i.path == path and i.floating), None)
        if light is None:
            raise Refused(
                "It holds no light that can be read.", path, "Give a latitude-longitude EXR or HDR picture."
            )
        return lighting_by(route, f"picture:{light.id}")
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
