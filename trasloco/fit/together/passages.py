"""What becomes of materials beside their inputs, where each part has one that is drawn of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from trasloco.fit.model import Crossing, Passage
from trasloco.fit.together.units import Unit, units_of
from trasloco.fit.together.ways import Ways, ways_of
from trasloco.scene.model import Material, Scene
from trasloco.sheets.model import Sheet


def materials_together(
    reference: Scene, destination: Sheet, alpha: Mapping[str, str], crossings: Sequence[Crossing]
) -> Iterator[Passage]:
    units = units_of(reference, destination)
    drawn = ways_of(units, reference, destination, alpha, crossings)
    wearing: dict[str, list[Unit]] = {}
    for unit in units:
        for id in unit.worn:
            wearing.setdefault(id, []).append(unit)
    for material in reference.materials.values():
        parts = wearing.get(material.id, [])
        names = ", ".join(unit.name for unit in parts[:3]) + (" and others" if len(parts) > 3 else "")
        text = f"drawn into the material of {names}" if parts else "nobody wears it"
        yield Passage("material", material.id, "name", "close" if parts else "lost", text)
        ways = [drawn[unit.mesh] for unit in parts]
        same = all(one.double_sided == material.double_sided for one in ways) and material.back is None
        text = "as before" if same else "as the part's other slots, or the destination, have it"
        yield Passage("material", material.id, "sides", "exact" if same else "close", text)
        yield _see_through(material, ways)
        if material.unlit:
            text = f"{destination.name} lights everything."
            yield Passage("material", material.id, "without light", "lost", text)
        for key, aspect in (("extras", "properties"), ("extensions", "extensions")):
            if material.payload.get(key):
                text = "The part's material is a new one."
                yield Passage("material", material.id, aspect, "lost", text)


def _see_through(material: Material, ways: list[Ways]) -> Passage:
    own = material.alpha_mode, material.alpha_cutoff if material.alpha_mode == "mask" else 0.5
    same = all((one.alpha_mode, one.alpha_cutoff if one.alpha_mode == "mask" else 0.5) == own for one in ways)
    if same:
        return Passage("material", material.id, "see-through", "exact", material.alpha_mode)
    modes = " or ".join(dict.fromkeys(one.alpha_mode for one in ways))
    text = f"{material.alpha_mode} becomes {modes} of the whole part; its image says the rest"
    return Passage("material", material.id, "see-through", "close", text)
