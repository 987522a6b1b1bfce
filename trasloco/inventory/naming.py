"""Names: which are a machine's, which are legal everywhere, what to propose instead, and renaming many by a
pattern.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence

from trasloco.errors import Refused
from trasloco.scene.model import Scene

MOST = 63
_AUTO = re.compile(
    r"^(mesh|object|node|part|piece|group|shape|material|mat|image|texture|untitled|unnamed|default|surface|element|item|solid|geometry|geom|obj)?[-_. ]*\d*$",
    re.IGNORECASE,
)
_FORBIDDEN = re.compile(r'[\x00-\x1f\x7f<>:"/\\|?*\[\]{}#%]')
_RESERVED = re.compile(r"^(con|prn|aux|nul|com\d|lpt\d)$", re.IGNORECASE)


def is_automatic(name: str) -> bool:
    """Whether a name says nothing: a general word with a number, or a number."""
    return bool(_AUTO.match(name.strip()))


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
    """A name for each id: from a part's material and place above when its own says nothing, else its own made
    legal and unique.
    """
    everything = (
        {p.id: p.name for p in scene.parts()}
        if what == "parts"
        else {m.id: m.name for m in scene.materials.values()}
    )
    changed = set(ids)
    taken = {name.casefold() for id, name in everything.items() if id not in changed}
    return {id: unique(_proposal(scene, what, id, everything[id]), taken) for id in ids}


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
    above = scene.nodes.get(node.parent or "")
    worn = [
        scene.materials[p.material or ""].name
        for p in scene.meshes[node.mesh or ""].primitives
        if (p.material or "") in scene.materials
    ]
    materials = [name for name in worn if not is_automatic(name)]
    words = [above.name] if above is not None and not is_automatic(above.name) else []
    words += materials[:1]
    return legal_name(" ".join(words) or "part")


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
