"""Sets of images that belong together, and which slot each set is for."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from trasloco.errors import Refused
from trasloco.fit.families.compounds import compounds_apart
from trasloco.fit.families.kinds import KINDS, NOISE, Fill
from trasloco.fit.families.recognise import Recognised, recognised
from trasloco.inputs.table import INPUTS
from trasloco.inventory.seeing import Sight, sight_of
from trasloco.keeping import with_keeper
from trasloco.scene.images import Image
from trasloco.scene.model import Decision, Material, Scene
from trasloco.scene.tokens import taken_apart

_LIKE, _CLEARLY = 0.5, 0.15


@dataclass(frozen=True)
class Member:
    """An image of a set: its id, what it was taken for, and why another of the same kind was preferred (empty
    when it is the one).
    """

    image: str
    found: Recognised
    passed_over: str = ""


@dataclass(frozen=True)
class MapSet:
    """Images that share a name. ``name`` is the words they share."""

    name: str
    key: tuple[str, ...]
    members: tuple[Member, ...]

    def filling(self) -> list[tuple[Fill, Member]]:
        """The inputs the set fills, each once."""
        done: dict[str, tuple[Fill, Member]] = {}
        for member in self.members:
            if not member.passed_over:
                for fill in member.found.fills:
                    done.setdefault(fill.input, (fill, member))
        return list(done.values())


@dataclass(frozen=True)
class Filling:
    """One input of a material that an image of a set would fill."""

    material: str
    input: str
    image: str
    channels: str
    reason: str
    decisions: tuple[Decision, ...]


@dataclass(frozen=True)
class Proposal:
    """A set for a slot. ``reason`` says why it is this slot's; ``fillings`` may be overruled one by one."""

    material: str
    set: MapSet
    reason: str
    fillings: tuple[Filling, ...]


def looked_at(images: Sequence[Image]) -> dict[str, Sight]:
    """What is in each image, by path; images that cannot be read are passed over."""

    def look(image: Image) -> Sight | None:
        try:
            return sight_of(image) if image.usable else None
        except Refused:
            return None

    with ThreadPoolExecutor() as pool:
        return {
            image.path or image.name: sight
            for image, sight in zip(images, pool.map(with_keeper(look), images), strict=True)
            if sight is not None
        }


def sets_of(
    images: Sequence[Image], seen: Mapping[str, Sight] | None = None
) -> tuple[list[MapSet], list[Member]]:
    """All sets among some images, and the images nobody can be sure of."""
    found = recognised([image.path or image.name for image in images], seen)
    grouped: dict[tuple[str, ...], list[Member]] = defaultdict(list)
    unsure: list[Member] = []
    for image, one in zip(images, found, strict=True):
        if one.sure:
            grouped[one.key].append(Member(image.id, one))
        else:
            unsure.append(Member(image.id, one))
    return [
        MapSet(" ".join(key) or "the folder", key, tuple(_preferred(members)))
        for key, members in sorted(grouped.items())
    ], unsure


def _preferred(members: Sequence[Member]) -> list[Member]:
    """Among images of one kind: the first tile stands for its tiles, then the latest version, the largest
    size, green up before green down.
    """
    by_kind: dict[tuple[str, ...], list[Member]] = defaultdict(list)
    for member in members:
        by_kind[member.found.kinds].append(member)
    made: list[Member] = []
    for same in by_kind.values():
        order = sorted(
            same,
            key=lambda m: (
                m.found.tile,
                -m.found.version,
                -_side(m.found.size),
                any(f.green_up is False for f in m.found.fills),
            ),
        )
        for place, member in enumerate(order):
            made.append(
                member
                if place == 0
                else Member(member.image, member.found, _why(order[0].found, member.found))
            )
    return made


def _side(size: str) -> int:
    return (
        int(size[:-1]) * 1024
        if size.endswith("k")
        else int(size.partition("x")[0].rstrip("px") or 0)
        if size
        else 0
    )


def _why(first: Recognised, other: Recognised) -> str:
    if first.tile != other.tile:
        return f"tile {other.tile} of {first.tile}…"
    if first.version != other.version:
        return "an older version"
    if first.size != other.size:
        return "a smaller one of the same"
    if any(f.green_up is False for f in other.fills):
        return "the same with green down"
    return "another of the same kind"


def siblings(images: Sequence[Image], chosen: str, seen: Mapping[str, Sight] | None = None) -> MapSet | None:
    """The set that an image belongs to, or None when it is not sure or alone."""
    for one in sets_of(images, seen)[0]:
        if any(member.image == chosen for member in one.members):
            return one
    return None


def waiting(scene: Scene) -> list[Image]:
    """Usable images that no material reads."""
    used = {
        given.texture.image
        for m in scene.materials.values()
        for given in m.inputs.values()
        if given.texture is not None
    }
    return [image for image in _images(scene) if image.id not in used]


def _images(scene: Scene) -> list[Image]:
    return [
        image
        for image in scene.images.values()
        if image.usable and (scene.environment is None or image.id != scene.environment.image)
    ]


def proposals(scene: Scene, seen: Mapping[str, Sight] | None = None) -> list[Proposal]:
    """Every set with inputs to fill in some material: by an image the material reads already, else by name.

    Inputs that read an image stay as they are.
    """
    made: list[Proposal] = []
    for one in sets_of(_images(scene), seen)[0]:
        for material, reason in _slots_for(scene, one):
            filling = tuple(fillings(scene.materials[material], one, seen or {}, scene))
            if filling:
                made.append(Proposal(material, one, reason, filling))
    return made


def set_of_image(
    scene: Scene, material: str, image: str, seen: Mapping[str, Sight] | None = None
) -> Proposal | None:
    """What the siblings of one image would fill in a material, or None when it has none."""
    one = siblings(_images(scene), image, seen)
    if one is None or material not in scene.materials:
        return None
    filling = tuple(fillings(scene.materials[material], one, seen or {}, scene))
    return Proposal(material, one, f"They are named alike: “{one.name}”.", filling) if filling else None


def fillings(material: Material, one: MapSet, seen: Mapping[str, Sight], scene: Scene) -> list[Filling]:
    """What a set would fill in a material: inputs that read no image yet."""
    found: list[Filling] = []
    for fill, member in one.filling():
        given = material.inputs.get(fill.input)
        if given is not None and given.texture is not None:
            continue
        if fill.input == "height" and any(f.input == "normal" for f, _ in one.filling()):
            continue  # a normal map says the same, and more finely
        spec = INPUTS[fill.input]
        if spec.channels == 1 and _says_only(
            scene.images.get(member.image), fill, given.factor[0] if given is not None else spec.default[0]
        ):
            continue
        target = f"{material.id}/{fill.input}"
        channels = "rgb" if spec.channels == 3 else fill.channels if fill.channels != "rgb" else "r"
        decisions = [
            Decision(target, "image", {"image": member.image, "channels": channels, "invert": fill.invert})
        ]
        if fill.green_up is not None:
            decisions.append(Decision(target, "green_up", fill.green_up))
        if fill.input == "metalness" and given is not None and given.texture is None and given.factor[0] == 0:
            decisions.append(Decision(target, "factor", [1.0]))
        if fill.input == "opacity" and material.alpha_mode == "opaque":
            image = scene.images[member.image]
            sight = seen.get(image.path or image.name)
            cut = sight is None or ((sight.low < 0.05) & (sight.high > 0.95)).any() or sight.alpha == "cut"
            decisions.append(Decision(material.id, "alpha_mode", "mask" if cut else "blend"))
        found.append(
            Filling(material.id, fill.input, member.image, channels, member.found.reason, tuple(decisions))
        )
    return found


def _says_only(image: Image | None, fill: Fill, known: float) -> bool:
    """Whether a channel is one value everywhere, the one that the input has anyway, like the white where a
    packed image has no occlusion.
    """
    if image is None or len(fill.channels) != 1:
        return False
    try:
        sight = sight_of(image)
    except Refused:
        return False
    at = "rgba".index(fill.channels)
    if at >= len(sight.low):
        return False
    value = 1 - sight.mean[at] if fill.invert else sight.mean[at]
    return bool(sight.high[at] - sight.low[at] < 1 / 255 and abs(value - known) < 1 / 255)


def _slots_for(scene: Scene, one: MapSet) -> list[tuple[str, str]]:
    """Materials a set is for, with the reason: those that read one of its images, else the one whose name is
    most like the set's.
    """
    held = {member.image for member in one.members}
    reading = [
        (m.id, given.texture.image)
        for m in scene.materials.values()
        for given in m.inputs.values()
        if given.texture is not None and given.texture.image in held
    ]
    if reading:
        names = {id: scene.images[image].name for id, image in reading}
        return [(id, f"It reads {name} already, which is of this set.") for id, name in names.items()]
    scored = sorted(
        ((_likeness(one.key, material, scene), material.id) for material in scene.materials.values()),
        reverse=True,
    )
    if scored and scored[0][0] >= _LIKE and (len(scored) == 1 or scored[0][0] - scored[1][0] >= _CLEARLY):
        return [(scored[0][1], f"“{scene.materials[scored[0][1]].name}” is named most like “{one.name}”.")]
    return []


def _likeness(key: tuple[str, ...], material: Material, scene: Scene) -> float:
    """How alike a set's words and a material's name are, 0 to 1: words shared of all words, or 1 for the same
    letters.
    """
    best = _alike(set(key), _words(material.name))
    for part in scene.parts():
        if part.mesh is not None and any(
            p.material == material.id for p in scene.meshes[part.mesh].primitives
        ):
            best = max(best, 0.8 * _alike(set(key), _words(part.name)))
    return best


def _words(name: str) -> set[str]:
    return {word for word in compounds_apart(taken_apart(name + ".x")).words if word not in NOISE}


def _alike(a: set[str], b: set[str]) -> float:
    if not a or not b:
        return 0.0
    if "".join(sorted("".join(a))) == "".join(sorted("".join(b))):
        return 1.0
    shared = sum(
        1
        for word in a
        if any(
            word == other
            or (len(word) > 3 and (other.startswith(word) or word.startswith(other)) and len(other) > 3)
            for other in b
        )
    )
    return shared / len(a | b) if shared else 0.0


def name_likeness(first: str, second: str) -> float:
    """How alike two names are, 0 to 1, word by word, whatever their case, separators and numbers."""
    return _alike(_words(first), _words(second))


def kind_label(found: Recognised) -> str:
    """What an image was taken for, in words."""
    return ", ".join(KINDS[kind].label for kind in found.kinds) or "not sure"
