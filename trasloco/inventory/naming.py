"""Names: which are a machine's, which are legal everywhere, what to propose instead, and renaming many by a
pattern.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence

import numpy as np

from trasloco.errors import Refused
from trasloco.mends.settling import AXIS_AND_UNIT
from trasloco.scene.extent import part_bounds
from trasloco.scene.model import Node, Scene

MOST = 63
_STOCK = frozenset(
    [
        "mesh",
        "object",
        "obj",
        "node",
        "part",
        "piece",
        "group",
        "grp",
        "shape",
        "material",
        "mat",
        "image",
        "texture",
        "tex",
        "untitled",
        "unnamed",
        "default",
        "surface",
        "surf",
        "element",
        "item",
        "solid",
        "geometry",
        "geom",
        "geo",
        "poly",
        "polygon",
        "polygons",
        "primitive",
        "prim",
        "model",
        "instance",
        "clone",
        "copy",
        "duplicate",
        "empty",
        "null",
        "transform",
        "xform",
        "scene",
        "root",
        "layer",
        "collection",
        "shader",
        "phong",
        "lambert",
        "standard",
        "pbr",
        "slot",
        "none",
        "noname",
        "new",
        "cube",
        "sphere",
        "plane",
        "cylinder",
        "torus",
        "quad",
        "pyramid",
        "capsule",
        "ico",
        "uv",
        "nurbs",
        "spline",
        "curve",
        "würfel",
        "wuerfel",
        "kugel",
        "zylinder",
        "ebene",
        "cubo",
        "sfera",
        "esfera",
        "cilindro",
        "sphère",
        "cylindre",
        "objekt",
        "oggetto",
        "objeto",
        "objet",
    ]
)
"""Words that a program gives to whatever is made in it: of shapes, and of things as such."""
_EITHER = frozenset(
    [
        "box",
        "ball",
        "cone",
        "ring",
        "tube",
        "disc",
        "disk",
        "circle",
        "grid",
        "line",
        "path",
        "text",
        "piano",
        "color",
        "colour",
        "low",
        "high",
        "lod",
    ]
)
"""Words that name a thing as well as a shape: a machine's where a number or another stock word stands beside
them.
"""
_WORDS = re.compile(r"[^\W\d_]+|\d+")
_HUMPS = re.compile(r"(?<=[a-zà-ÿ])(?=[A-ZÀ-Ý])|(?<=[^\W\d_])(?=\d)|(?<=\d)(?=[^\W\d_])")
_FORBIDDEN = re.compile(r'[\x00-\x1f\x7f<>:"/\\|?*\[\]{}#%]')
_RESERVED = re.compile(r"^(con|prn|aux|nul|com\d|lpt\d)$", re.IGNORECASE)


def is_automatic(name: str) -> bool:
    """Whether a name says nothing: stock words in any spelling with or without a running number, or a number."""
    found = _WORDS.findall(_HUMPS.sub(" ", name))
    words = words_of(name)
    numbered = len(words) < len(found)
    sure = sum(word in _STOCK for word in words)
    if not all(word in _STOCK or word in _EITHER for word in words):
        return False
    if not words:  # a letter alone is somebody's, a number nobody's
        return all(word.isdigit() for word in found)
    return sure > 0 or numbered or len(words) > 1


def words_of(name: str) -> list[str]:
    """The words of a name, small, however they are parted; numbers and single letters are none."""
    found = _WORDS.findall(_HUMPS.sub(" ", name))
    return [word.casefold() for word in found if not word.isdigit() and len(word) > 1]


def legal_name(name: str) -> str:
    """The nearest name that files and scenes take everywhere; equal to the name when it is fine."""
    made = _FORBIDDEN.sub("-", unicodedata.normalize("NFC", name)).strip(" .")
    if _RESERVED.match(made):
        made += "-"
    return made[:MOST].rstrip(" .") or "unnamed"


def unique(name: str, taken: set[str]) -> str:
    """The name, with a running number when it is taken whatever the case; it is added to ``taken`` in folded
    form.
    """
    made, number = name, 1
    while made.casefold() in taken:
        number += 1
        tail = f"-{number:02d}"
        made = name[: MOST - len(tail)] + tail
    taken.add(made.casefold())
    return made


def proposals(scene: Scene, what: str, ids: Sequence[str]) -> dict[str, str]:
    """A name for each id: its own made legal and unique; where that says nothing, a part's group and
    material, and where it stands when that is not enough. Never another machine's word.
    """
    everything = (
        {p.id: p.name for p in scene.parts()}
        if what == "parts"
        else {m.id: m.name for m in scene.materials.values()}
    )
    changed = set(ids)
    taken = {name.casefold() for id, name in everything.items() if id not in changed}
    stands = _places(scene) if what == "parts" and any(is_automatic(everything[id]) for id in ids) else {}
    made: dict[str, str] = {}
    for id in ids:
        name = _proposal(scene, what, id, everything[id])
        if id in stands and is_automatic(everything[id]) and (name == _NOTHING or name.casefold() in taken):
            name = legal_name(f"{'' if name == _NOTHING else name + ', '}{stands[id]}")
        made[id] = unique(name, taken)
    return made


_NOTHING = "part"
_SIDES = (("left", "right"), ("lower", "upper"), ("back", "front"))
"""Of the axes X, Y and Z, as one sees a subject that looks towards +Z."""


def _places(scene: Scene) -> dict[str, str]:
    """Where every part stands in the scene, in words: ``upper left``, ``middle``."""
    boxes = part_bounds(scene)
    if not boxes:
        return {}
    middles = np.array([box.mean(axis=0) for box in boxes.values()])
    low, high = middles.min(axis=0), middles.max(axis=0)
    shares = (middles - low) / np.maximum(high - low, 1e-9)
    wide = (high - low) > 0.02 * max(float((high - low).max()), 1e-9)
    words = {}
    for id, share in zip(boxes, shares, strict=True):
        said = [
            _SIDES[axis][int(share[axis] > 0.5)]
            for axis in (1, 2, 0)
            if wide[axis] and abs(share[axis] - 0.5) > 1 / 6
        ]
        words[id] = " ".join(said) or "middle"
    return words


def _above(scene: Scene, node: Node) -> str:
    """The name of the nearest group above that says something, or nothing."""
    above = scene.nodes.get(node.parent or "")
    while above is not None and (is_automatic(above.name) or above.id == AXIS_AND_UNIT):
        above = scene.nodes.get(above.parent or "")
    return above.name if above is not None else ""


def _proposal(scene: Scene, what: str, id: str, name: str) -> str:
    if not is_automatic(name):
        return legal_name(name)
    if what == "materials":
        users = [
            n.name
            for n in scene.parts()
            if any(p.material == id for p in scene.meshes[n.mesh or ""].primitives)
            and not is_automatic(n.name)
        ]
        return legal_name(f"{users[0]} material" if users else "material")
    node = scene.nodes[id]
    above = _above(scene, node)
    worn = [
        scene.materials[p.material or ""].name
        for p in scene.meshes[node.mesh or ""].primitives
        if (p.material or "") in scene.materials
    ]
    materials = [name for name in worn if not is_automatic(name)]
    return legal_name(" ".join([*([above] if above else []), *materials[:1]]) or _NOTHING)


def renamed(names: Mapping[str, str], pattern: str, find: str = "", start: int = 1) -> dict[str, str]:
    """New names by a pattern: ``{name}`` the old name, ``{n}`` a running number (``{n:03}`` padded),
    ``{find}`` cut out first when given.

    Raises:
        Refused: a pattern that cannot be understood, or that gives no name.
    """
    taken: set[str] = set()
    made: dict[str, str] = {}
    for number, (id, name) in enumerate(names.items(), start):
        rest = name.replace(find, "") if find else name
        try:
            new = re.sub(
                r"\{(name|n)(?::0?(\d{1,2}))?\}",
                lambda m: rest if m.group(1) == "name" else str(number).zfill(int(m.group(2) or 0)),  # noqa: B023
                pattern,
            )
        except (ValueError, OverflowError):
            raise Refused(
                "The pattern cannot be understood.",
                pattern[:80],
                "Use {name} for the old name and {n} or {n:03} for a running number.",
            ) from None
        if not new.strip() or "{" in new or "}" in new:
            raise Refused(
                "The pattern cannot be understood or leaves no name.",
                pattern[:80] or "no pattern",
                "Use {name} for the old name and {n} or {n:03} for a running number.",
            )
        made[id] = unique(legal_name(new), taken)
    return made
