"""Looks that arrive alone, put on what stands at the destination already."""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.naming import file_names, slug
from trasloco.fit.tree import plain_names
from trasloco.formats.usd_names import identifier
from trasloco.scene.model import Material, Scene
from trasloco.sheets.model import Sheet


def put_on(standing: Scene, looks: Scene, sheet: Sheet) -> Scene:
    """What stands there, each material with the look of its name: as it is called, or as files are named
    after it. What has none becomes plain; meshes, lamps and surroundings stay.
    """
    named = {m.id: m.name for m in standing.materials.values()}
    if sheet.structure.names == "plain":
        named = plain_names(named.items())
    filed = file_names(standing.materials.values())
    free = list(looks.materials.values())
    taken: set[str] = set()
    materials = {}
    for id, name in named.items():
        look = _look_of(name, identifier(name, taken), slug(filed[id]), free)
        if look is not None:
            free.remove(look)
        materials[id] = replace(look, id=id, name=name) if look is not None else Material(id, name)
    kept_images = {
        around.image: standing.images[around.image]
        for around in (standing.environment, standing.backdrop)
        if around is not None and around.image in standing.images
    }
    return replace(standing, materials=materials, images={**kept_images, **looks.images})


def _look_of(name: str, as_one_word: str, as_a_file: str, looks: list[Material]) -> Material | None:
    """The first look of a name: as it is, as one word, or as files are named after it."""
    for same in (
        lambda look: look.name == name,
        lambda look: look.name == as_one_word,
        lambda look: slug(look.name) == as_a_file,
    ):
        found = next((look for look in looks if same(look)), None)
        if found is not None:
            return found
    return None
