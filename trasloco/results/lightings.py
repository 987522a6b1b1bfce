"""What a scene may be lit by from all round: as it was received, any picture of the delivery, and the skies
and rooms that ship; tried one after the other before one is decided.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from trasloco.decisions.kinds import in_force
from trasloco.errors import Refused
from trasloco.light.rooms import ROOMS
from trasloco.mends import skies
from trasloco.results.name import named
from trasloco.results.route import Route
from trasloco.results.thumbnails import image_thumbnail
from trasloco.scene.model import Decision, Scene

TARGET, _SIDE = "environment", 192
_FIELDS = ("picture", "daylight", "panels")


@dataclass(frozen=True)
class Lighting:
    """One of them: ``kind`` is received, picture, sky or room, ``image`` the picture of the delivery."""

    key: str
    name: str
    kind: str
    decisions: tuple[Decision, ...]
    image: str | None = None


def _lighting(key: str, name: str, kind: str, values: Sequence[Any], image: str | None = None) -> Lighting:
    made = tuple(Decision(TARGET, field, value) for field, value in zip(_FIELDS, values, strict=True))
    return Lighting(key, name, kind, made, image)


def lightings(route: Route) -> list[Lighting]:
    """All that may be chosen, as received first."""
    scene = route.received().scene
    given = scene.environment
    own = scene.images[given.image].name if given is not None and given.image in scene.images else "nothing"
    found = [_lighting("received", own, "received", (None, None, None), given.image if given else None)]
    for image in scene.images.values():
        if image.floating and image.usable and (given is None or image.id != given.image):
            found.append(
                _lighting(f"picture:{image.id}", image.name, "picture", (image.id, None, None), image.id)
            )
    for room in ROOMS:
        values = ("", room.daylight, [dict(one) for one in room.panels] or None)
        found.append(_lighting(f"{room.kind}:{room.name}", room.name, room.kind, values))
    return found


def chosen(route: Route) -> str | None:
    """The key of the one that is in force; None where it is none of them."""
    told = {d.field: d.value for d in in_force(route.decisions) if d.target == TARGET}
    held = [told.get(field) or (None if field != "picture" else told.get(field)) for field in _FIELDS]
    return next((one.key for one in lightings(route) if [d.value for d in one.decisions] == held), None)


def lighting_by(route: Route, key: str) -> list[Decision]:
    """Decisions that light the scene by one of them. Raises Refused: there is no such light."""
    found = next((one for one in lightings(route) if one.key == key), None)
    if found is None:
        raise Refused("There is no such light.", key[:120], "Choose one of those on the strip.")
    return list(found.decisions)


def tried(route: Route, key: str) -> Scene:
    """The reference in another light, nothing decided. Raises Refused: there is no such light."""
    return route.mended_with(lighting_by(route, key))


def lighting_png(route: Route, key: str) -> bytes:
    """A small picture of what surrounds the scene in one of them.

    Raises:
        Refused: there is no such light, or nothing surrounds the scene in it.
    """
    found = next((one for one in lightings(route) if one.key == key), None)
    room = next((one for one in ROOMS if key == f"{one.kind}:{one.name}"), None)
    if room is not None:
        scene = Scene("")
        if room.daylight is not None:
            scene = skies.daylight(scene, TARGET, room.daylight)
        scene = skies.panels(scene, TARGET, [dict(one) for one in room.panels] or None)
        image = scene.images[scene.environment.image] if scene.environment is not None else None
    else:
        image = route.received().scene.images.get(found.image or "") if found is not None else None
    if image is None or not image.usable:
        raise Refused("There is no picture of it.", key[:120], "Choose one of those on the strip.")
    made: bytes = route.store.get_or_make(
        named("lighting", ("trasloco.light.rooms",), image.digest).key, lambda: image_thumbnail(image, _SIDE)
    )
    return made
