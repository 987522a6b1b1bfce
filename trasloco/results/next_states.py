"""Files that joined a delivery and may be the next state of one that is there: saved again, or exported
again, under another name.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from trasloco.errors import Refused
from trasloco.fit.families.recognise import recognised
from trasloco.formats.bundle import bundle_files
from trasloco.formats.likeness import images_alike, models_alike
from trasloco.formats.receive import kind_of, read_one
from trasloco.formats.successors import predecessors, same_kind
from trasloco.results.name import named
from trasloco.scene.images import Image, identify
from trasloco.scene.model import Scene

_ALIKE, _CLEARER, _MOST = 0.9, 0.06, 400
"""From which likeness on something is told, by how much it is more than the next, and among how many files.
"""


@dataclass(frozen=True)
class NextState:
    """A file that joined, the one it may take the place of, how alike they are (0 to 1; nothing where only
    the names tell), and why.
    """

    path: str
    place_of: str
    alike: float | None
    why: str


def next_states_key(fresh: Mapping[str, str], before: Mapping[str, str]) -> str:
    """What they are kept under: the digests of files by path, of those that joined and of those that were
    there.
    """
    return named("next states", ("trasloco.results.next_states",), dict(fresh), dict(before)).key


def by_name(fresh: Mapping[str, str], before: Mapping[str, str]) -> list[NextState]:
    """Those that their names alone tell."""
    return [NextState(path, old, None, "called alike") for path, old in predecessors(fresh, before).items()]


def next_states(
    fresh: Mapping[str, str], before: Mapping[str, str], read: Callable[[str], bytes]
) -> list[NextState]:
    """By name, and by what is in the files: pictures by how they look, models by their parts and materials.
    What could be the next state of two is of neither. ``read`` gives a file's bytes by its digest.
    """
    told = {one.path: one for one in by_name(fresh, before)}
    if len(fresh) * len(before) > _MOST**2:
        return list(told.values())
    held: dict[str, Image | Scene | None] = {}
    files = {**before, **fresh}

    def opened(path: str) -> Image | Scene | None:
        if path not in held:
            held[path] = _opened(path, files, read)
        return held[path]

    for path in fresh:
        known = told.get(path)
        others = [known.place_of] if known else [o for o in before if o not in fresh and same_kind(o, path)]
        compared = ((*_compared(path, other, opened), other) for other in others)
        ranked = sorted((one for one in compared if one[0] > 0), reverse=True)
        if known:
            if ranked:
                told[path] = NextState(path, known.place_of, ranked[0][0], f"called alike; {ranked[0][1]}")
            continue
        if (
            not ranked
            or ranked[0][0] < _ALIKE
            or (len(ranked) > 1 and ranked[1][0] > ranked[0][0] - _CLEARER)
        ):
            continue
        alike, why, other = ranked[0]
        told[path] = NextState(path, other, alike, why)
    return list(told.values())


def _opened(path: str, files: Mapping[str, str], read: Callable[[str], bytes]) -> Image | Scene | None:
    """A file as a picture or a model; nothing where it is neither, or cannot be read."""
    data = read(files[path])
    kind = kind_of(path, data)
    if kind == "image":
        return identify(f"image:{path}", path.rsplit("/", 1)[-1], path, data)
    try:
        beside = {other: digest for other, digest in files.items() if other != path}
        return read_one(path, bundle_files({path: data, **{o: read(d) for o, d in beside.items()}}))
    except Refused:
        return None


def _compared(path: str, other: str, opened: Callable[[str], Image | Scene | None]) -> tuple[float, str]:
    """How alike two files are, and in what."""
    a, b = opened(path), opened(other)
    if isinstance(a, Image) and isinstance(b, Image):
        kinds = [one.kinds for one in recognised([path, other])]
        if kinds[0] and kinds[1] and kinds[0] != kinds[1]:
            # A roughness made from a colour looks like it, and is not its next state.
            return 0.0, ""
        alike = images_alike(a, b)
        return alike, f"it looks the same by {100 * alike:.0f} %"
    if isinstance(a, Scene) and isinstance(b, Scene):
        alike, same, count = models_alike(b, a)
        return alike, f"{same} of {count} parts are called the same"
    return 0.0, ""
