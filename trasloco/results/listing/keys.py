"""What a packing list says of each kind of thing, and which decisions a changed line is."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from trasloco.inputs.table import INPUTS, ORDER
from trasloco.mends.settling import decided
from trasloco.results.grouping import dressing, leaving_out, taking_along
from trasloco.results.listing.values import (
    Unclear,
    numbers,
    read_choice,
    read_color,
    read_maybe,
    read_name,
    read_numbers,
    read_yes_no,
    yes_no,
)
from trasloco.results.route import Route
from trasloco.scene.light_units import UNITS
from trasloco.scene.model import Decision, Input, Scene
from trasloco.scene.tags import COLLISIONS

_SEE_THROUGH = {"opaque": "solid", "mask": "cut out", "blend": "blended"}
_CHANNELS = ("rgb", "r", "g", "b", "a")


@dataclass(frozen=True)
class State:
    """A move as it stands, as far as a list tells it."""

    route: Route

    @cached_property
    def scene(self) -> Scene:
        return self.route.settled()

    @cached_property
    def travelling(self) -> set[str]:
        return self.route.travelling()

    @cached_property
    def materials(self) -> dict[str, list[str]]:
        return _by_name({id: m.name for id, m in self.scene.materials.items()})

    @cached_property
    def images(self) -> dict[str, list[str]]:
        held = {**self.route.received().scene.images, **self.scene.images}
        return _by_name({id: image.name for id, image in held.items()})

    def slots(self, part: str) -> list[str]:
        """Materials that a part wears, in the order of its mesh."""
        mesh = self.scene.meshes[self.scene.nodes[part].mesh or ""]
        worn = dict.fromkeys(p.material or "" for p in mesh.primitives)
        return [id for id in worn if id in self.scene.materials]


def _by_name(names: Mapping[str, str]) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for id, name in names.items():
        found.setdefault(name.casefold(), []).append(id)
    return found


Tell = Callable[[State, str], str | None]
Decide = Callable[[State, str, str], Sequence[Decision]]


@dataclass(frozen=True)
class Key:
    """A line of a thing: its key, what it tells (nothing where it has nothing to tell), and what a changed
    one decides.
    """

    key: str
    tell: Tell
    decide: Decide


def _field(name: str, read: Callable[[str], object]) -> Decide:
    return lambda state, id, text: [Decision(id, name, read(text))]


def _named(group: str) -> Key:
    def tell(state: State, id: str) -> str:
        return str(getattr(state.scene, group)[id].name)

    def decide(state: State, id: str, text: str) -> list[Decision]:
        if not text:
            raise Unclear("Write a name.")
        return [Decision(id, "name", text)]

    return Key("name", tell, decide)


def _comes_along(state: State, id: str, text: str) -> Sequence[Decision]:
    return taking_along(state.route, [id]) if read_yes_no(text) else leaving_out(state.route, [id])


def _wears(state: State, id: str, text: str) -> Sequence[Decision]:
    worn = state.slots(id)
    wanted = [read_name(name, state.materials, "material") for name in text.split(",")]
    if len(wanted) != len(worn):
        raise Unclear(
            f"It has {len(worn)} slot{'s' if len(worn) != 1 else ''}: name as many materials, with commas."
        )
    made: list[Decision] = []
    for old, new in zip(worn, wanted, strict=True):
        if old != new:
            made += dressing(state.route, new, [id], old if len(worn) > 1 else None)
    return made


def placed(route: Route, id: str) -> dict[str, object]:
    """What was decided of a part's place."""
    made = decided(route.decisions, id, "place")
    return dict(made.value) if made is not None else {}


def _placed(key: str, count: int, unit: str, usual: float) -> Key:
    """A number of a part's place, which is decided as a whole."""
    field = {"move": "move_m", "turn": "turn_deg", "size": "size"}[key]

    def tell(state: State, id: str) -> str:
        value = placed(state.route, id).get(field, usual if count == 1 else [usual] * count)
        return numbers(value if isinstance(value, list) else [value], unit)  # type: ignore[list-item]

    def decide(state: State, id: str, text: str) -> list[Decision]:
        found = read_numbers(text, count, unit)
        return [Decision(id, "place", {field: found if count > 1 else found[0]})]

    return Key(key, tell, decide)


PART: tuple[Key, ...] = (
    _named("nodes"),
    Key("comes along", lambda s, id: yes_no(id in s.travelling), _comes_along),
    Key("wears", lambda s, id: ", ".join(s.scene.materials[m].name for m in s.slots(id)) or None, _wears),
    _placed("move", 3, "m", 0.0),
    _placed("turn", 3, "°", 0.0),
    _placed("size", 1, "", 1.0),
    Key(
        "surface",
        lambda s, id: s.scene.nodes[id].tags.surface or "unsaid",
        _field("surface", lambda text: None if text.casefold() in ("", "unsaid") else text),
    ),
    Key(
        "collides as",
        lambda s, id: s.scene.nodes[id].tags.collision or "unsaid",
        _field("collision", lambda text: read_choice(text, {"unsaid": None, **{c: c for c in COLLISIONS}})),
    ),
    Key("stands still", lambda s, id: yes_no(s.scene.nodes[id].tags.still), _field("still", read_maybe)),
    Key(
        "casts shadows",
        lambda s, id: yes_no(s.scene.nodes[id].tags.casts_shadow),
        _field("casts_shadow", read_maybe),
    ),
)


def _cut(state: State, id: str) -> str:
    material = state.scene.materials[id]
    words = _SEE_THROUGH[material.alpha_mode]
    return f"{words} at {material.alpha_cutoff:.4g}" if material.alpha_mode == "mask" else words


def _see_through(state: State, id: str, text: str) -> list[Decision]:
    words, at, cut = text.casefold().partition(" at ")
    mode = read_choice(words, {shown: mode for mode, shown in _SEE_THROUGH.items()})
    made = [Decision(id, "alpha_mode", mode)]
    if at:
        if mode != "mask":
            raise Unclear("Only what is cut out is cut at something.")
        made.append(Decision(id, "alpha_cutoff", read_numbers(cut, 1)[0]))
    return made


MATERIAL: tuple[Key, ...] = (
    _named("materials"),
    Key("see-through", _cut, _see_through),
    Key(
        "both sides",
        lambda s, id: yes_no(s.scene.materials[id].double_sided),
        _field("double_sided", read_yes_no),
    ),
)


def inputs_of(scene: Scene, material: str) -> Iterator[Key]:
    """The lines of a material's inputs: the number or colour, the image with its channels, its strength."""
    held = scene.materials[material].inputs
    for name in sorted(held, key=lambda one: ORDER[one]):
        yield from input_keys(name, held[name])


def input_keys(name: str, given: Input | None) -> Iterator[Key]:
    """The lines of one input."""
    row = INPUTS[name]
    label = row.label.casefold()
    if row.holds != "vector":
        yield Key(label, lambda s, id: numbers(_input(s, id, name).factor), _factor(name))
    if given is None or given.texture is not None or not given.layers:
        yield Key(f"{label} image", lambda s, id: _image_of(s, id, name), _image(name))
    if given is not None and given.texture is not None and (row.holds == "vector" or name == "occlusion"):
        yield Key(
            f"{label} strength",
            lambda s, id: numbers([getattr(_input(s, id, name).texture, "strength", 1.0)]),
            lambda s, id, text: [Decision(f"{id}/{name}", "strength", read_numbers(text, 1)[0])],
        )


def _input(state: State, material: str, name: str) -> Input:
    return state.scene.materials[material].inputs.get(name, Input(INPUTS[name].default))


def _factor(name: str) -> Decide:
    row = INPUTS[name]

    def decide(state: State, id: str, text: str) -> list[Decision]:
        value = read_color(text) if row.color else read_numbers(text, row.channels)
        if row.share and not all(0 <= v <= 1 for v in value):
            raise Unclear("It lies from 0 to 1.")
        return [Decision(f"{id}/{name}", "factor", value if row.channels > 1 else value[0])]

    return decide


def _image_of(state: State, id: str, name: str) -> str:
    texture = _input(state, id, name).texture
    held = {**state.route.received().scene.images, **state.scene.images}
    if texture is None or texture.image not in held:
        return "none"
    return f"{held[texture.image].name}, {texture.channels}" + (", inverted" if texture.invert else "")


def _image(name: str) -> Decide:
    row = INPUTS[name]

    def decide(state: State, id: str, text: str) -> list[Decision]:
        target = f"{id}/{name}"
        if text.casefold() in ("", "none"):
            return [Decision(target, "image", None)]
        words = [word.strip() for word in text.split(",")]
        inverted = len(words) > 1 and words[-1].casefold() == "inverted"
        words = words[:-1] if inverted else words
        channels = row.written_channels
        if len(words) > 1 and words[-1].casefold() in _CHANNELS:
            channels = words.pop().casefold()
        if (channels == "rgb") != (row.channels == 3):
            raise Unclear(f"It takes {'rgb' if row.channels == 3 else 'one of r, g, b or a'} of an image.")
        image = read_name(", ".join(words), state.images, "image")
        return [Decision(target, "image", {"image": image, "channels": channels, "invert": inverted})]

    return decide


def _strength(state: State, id: str) -> str:
    light = state.scene.lights[id]
    return numbers([light.intensity], UNITS[light.kind][0])


def _set_strength(state: State, id: str, text: str) -> list[Decision]:
    return [Decision(id, "intensity", read_numbers(text, 1, UNITS[state.scene.lights[id].kind][0])[0])]


LAMP: tuple[Key, ...] = (
    _named("lights"),
    Key("on", lambda s, id: yes_no(s.scene.lights[id].enabled), _field("enabled", read_yes_no)),
    Key("strength", _strength, _set_strength),
    Key("colour", lambda s, id: numbers(s.scene.lights[id].color), _field("lamp_color", read_color)),
    Key("casts shadows", lambda s, id: yes_no(s.scene.lights[id].shadows), _field("shadows", read_yes_no)),
)


def _optional(text: str, unit: str) -> float | None:
    return None if text.casefold() in ("", "all") else read_numbers(text, 1, unit)[0]


CAMERA: tuple[Key, ...] = (
    _named("cameras"),
    Key(
        "angle",
        lambda s, id: numbers([math.degrees(s.scene.cameras[id].yfov_rad)], "°"),
        _field("yfov_deg", lambda text: read_numbers(text, 1, "°")[0]),
    ),
    Key(
        "in focus",
        lambda s, id: (
            "all" if s.scene.cameras[id].focus_m is None else numbers([s.scene.cameras[id].focus_m or 0], "m")
        ),
        _field("focus_m", lambda text: _optional(text, "m")),
    ),
    Key(
        "f-stop",
        lambda s, id: (
            "all" if s.scene.cameras[id].f_stop is None else numbers([s.scene.cameras[id].f_stop or 0])
        ),
        _field("f_stop", lambda text: _optional(text, "")),
    ),
)


def _scale(state: State, id: str) -> str:
    made = decided(state.route.decisions, "scene", "scale")
    return numbers([float(made.value) if made is not None else 1.0])


SCENE: tuple[Key, ...] = (
    Key("size", _scale, lambda s, id, text: [Decision("scene", "scale", read_numbers(text, 1)[0])]),
)
