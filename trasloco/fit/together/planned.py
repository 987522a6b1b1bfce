"""The plan of what is drawn together, out of the plan that brings each material to the destination's terms."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace

from trasloco.fit.channels import fill_of
from trasloco.fit.crossings import has_step
from trasloco.fit.model import LOSSY, Crossing, Landing, Plan, PlannedImage, Step
from trasloco.fit.naming import Namer
from trasloco.fit.together.units import Unit, side_for, units_of
from trasloco.fit.together.ways import ways_of
from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Scene
from trasloco.sheets.model import ImageSet, Sheet

Numbers = tuple[float, ...]


@dataclass(frozen=True)
class Gathered:
    """What becomes of an input of a unit: an image in a channel, or a number.

    ``even`` says whether all its slots have that number; else it is the mean over its faces, once it is
    drawn.
    """

    input: str
    number: Numbers = ()
    even: bool = True
    set: ImageSet | None = None
    channel: str = ""


def planned_together(inner: Plan, reference: Scene, destination: Sheet, asked: Mapping[str, int]) -> Plan:
    """The whole plan.

    ``inner`` brings every material to the destination's terms; ``asked`` are the longest sides that the
    artist asked for, by material and part.
    """
    rules = destination.images
    namer = Namer(rules.pattern, rules.folder)
    images: list[PlannedImage] = []
    ends: dict[tuple[str, str], list[Landing]] = {}
    units = units_of(reference, destination)
    for unit in units:
        gathered = gathered_of(unit, inner, destination)
        worn = {id: reference.materials[id] for id in unit.worn}
        most = [rules.largest, *(asked.get(id, 0) for id in (unit.part, *unit.worn))]
        side = side_for(unit, worn, reference.images, [side for side in most if side])
        paths: dict[str, str] = {}
        for one in destination.materials.sets:
            held = {g.channel: g for g in gathered.values() if g.set is not None and g.set.name == one.name}
            if held:
                path = namer.path(unit.name, one.name, rules.kind)
                planned = _image(unit, one, gathered, path, side, destination, inner)
                images.append(planned)
                paths |= {g.input: planned.path for g in held.values()}
        for id in unit.worn:
            for crossing in inner.of(id):
                one_end = gathered.get(crossing.landing.input)
                if one_end is not None:
                    path = paths.get(one_end.input, "")
                    landing = Landing(one_end.input, path, one_end.channel if path else "", one_end.number)
                    ends.setdefault((id, crossing.name), []).append(landing)
    crossings = tuple(
        _crossing(crossing, ends.get((crossing.material, crossing.name), []), destination)
        for crossing in inner.crossings
    )
    crossings = tuple(_with_what_glows(crossings))
    ways = ways_of(units, reference, destination, inner.alpha, inner.crossings)
    alpha = dict(inner.alpha)
    for unit in reversed(units):  # where a material is drawn in several, of the first
        alpha |= dict.fromkeys(unit.worn, ways[unit.mesh].alpha_mode)
    return replace(inner, crossings=crossings, images=tuple(images), alpha=alpha, atlases={}, between=inner)


def gathered_of(unit: Unit, inner: Plan, destination: Sheet) -> dict[str, Gathered]:
    """What becomes of every input that a slot of a unit says, by the destination's input."""
    ends = {id: _ends(inner.of(id)) for id in unit.worn}
    found = {}
    for name in dict.fromkeys(name for landed in ends.values() for name in landed):
        said = [landed.get(name) for landed in ends.values()]
        default = INPUTS[name].default
        numbers = {default if one is None else one.landing.value or default for one in said}
        pictured = len(numbers) > 1 or any(one is not None and _drawn(one) for one in said)
        if name == "opacity":
            pictured = pictured or len({inner.alpha.get(id) for id in unit.worn}) > 1
        if name == "emission":
            pictured = pictured or len({_strength(landed) for landed in ends.values()}) > 1
        place, rule = destination.materials.set_of(name), destination.materials.inputs.get(name)
        beyond = INPUTS[name].measure and any(v > 1 for number in numbers for v in number)
        if beyond and not (rule is not None and rule.multiplies):
            place = None
        if pictured and place is not None and name != "emission_strength":
            found[name] = Gathered(name, set=place[0], channel=place[1])
        else:
            number = next(iter(numbers)) if len(numbers) == 1 else default
            even = not pictured and not any(one is not None and _meant(one) for one in said)
            found[name] = Gathered(name, number, even)
    return _with_numbers_beside(found, destination)


def _with_numbers_beside(found: dict[str, Gathered], destination: Sheet) -> dict[str, Gathered]:
    """A number that has no place but in an image is drawn where that image is written anyway, and else said
    only where it says nothing new."""
    rules = destination.materials
    written = {g.set.name for g in found.values() if g.set is not None}
    made = {}
    for name, one in found.items():
        place = rules.set_of(name)
        multiplied = name in rules.inputs and rules.inputs[name].multiplies
        inside = place is not None and place[0].name in written and one.set is None and not multiplied
        if inside and place is not None:
            one = replace(one, set=place[0], channel=place[1], number=())
        elif one.set is None and name not in rules.inputs and one.number != INPUTS[name].default:
            assert place is not None
            one = replace(one, set=place[0], channel=place[1], number=())
        made[name] = one
    return made


def _ends(crossings: Iterable[Crossing]) -> dict[str, Crossing]:
    return {c.landing.input: c for c in crossings if c.landing.input and c.mark not in ("lost", "blocked")}


def _drawn(crossing: Crossing) -> bool:
    """Whether it is more than a number: an image, or colours on points under it."""
    return bool(crossing.landing.image) or crossing.given.vertex_color


def _meant(crossing: Crossing) -> bool:
    """Whether the mean of an image is used."""
    return any(step.settings.get("mean") for step in crossing.steps)


def _strength(landed: Mapping[str, Crossing]) -> Numbers:
    """The strength of what glows, where something does."""
    glow, strength = landed.get("emission"), landed.get("emission_strength")
    dark = glow is None or (not _drawn(glow) and not any(glow.landing.value))
    return () if dark or strength is None else strength.landing.value


def _image(
    unit: Unit,
    one: ImageSet,
    gathered: Mapping[str, Gathered],
    path: str,
    side: int,
    destination: Sheet,
    inner: Plan,
) -> PlannedImage:
    rules = destination.images
    held = {g.channel: g for g in gathered.values() if g.set is not None and g.set.name == one.name}
    fill = fill_of(one, held, [g.input for g in held.values()], destination)
    for channel, name in one.channels.items():
        if name in gathered and gathered[name].set is None and channel != "a":
            fill |= dict.fromkeys(channel, 1.0)  # its number stands beside the image and multiplies it
    members = {
        channel: next(c.id for id in unit.worn for c in inner.of(id) if c.landing.input == g.input)
        for channel, g in held.items()
    }
    first, *others = unit.worn
    return PlannedImage(
        path,
        first,
        one.name,
        side,
        side,
        8 if rules.kind == "exr" else rules.depth,
        rules.kind,
        "linear" if rules.kind == "exr" else one.encoding,
        members,
        fill,
        coding=rules.coding,
        loss=rules.loss,
        others=tuple(others),
        of=unit.mesh,
    )


def _crossing(crossing: Crossing, ends: list[Landing], destination: Sheet) -> Crossing:
    """A crossing of the inner plan as it ends in all parts that wear its material."""
    if not ends:
        return crossing
    pictured = [end for end in ends if end.image]
    if not pictured:
        same = all(end.value == crossing.landing.value for end in ends)
        same = same and not _drawn(crossing) and not _meant(crossing)
        if same:
            return crossing
        step = Step("together", "one number for each part, the mean over its faces", {"mean": True})
        reason = f"{destination.name} takes one number for a part; the mean over its faces is used."
        return replace(
            crossing,
            steps=(*_without_places(crossing), step),
            landing=replace(ends[0], value=()),
            mark="close",
            reason=reason,
        )
    text = f"drawn for {f'each of {len(ends)} parts' if len(ends) > 1 else 'the part'}"
    kind = destination.images.kind
    told = f"{crossing.reason} Drawn over one new UV set, with all that the part wears.".strip()
    if kind in LOSSY:
        told = f"{told} {LOSSY[kind]}"
    return replace(
        crossing,
        steps=(*_without_places(crossing), Step("together", text)),
        landing=pictured[0],
        mark="close",
        reason=told,
    )


def _without_places(crossing: Crossing) -> tuple[Step, ...]:
    """Its steps but for the channel it lay in before it was drawn."""
    return tuple(step for step in crossing.steps if step.kind != "pack")


def _with_what_glows(crossings: Iterable[Crossing]) -> Iterator[Crossing]:
    """The strength of what glows goes into its image, where slots of several strengths are drawn together."""
    held = list(crossings)
    drawn = {c.material for c in held if c.landing.input == "emission" and has_step(c, "together")}
    for one in held:
        if one.name == "emission_strength" and one.mark in ("exact", "close") and one.material in drawn:
            steps = tuple(step for step in one.steps if step.kind != "together")
            reason = "The strongest slot's; the image says by how much others are darker."
            one = replace(one, mark="close", steps=steps, reason=reason)
        yield one
