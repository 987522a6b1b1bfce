"""Names and texels together: what each of many images is, which belong to one set, and why."""

from __future__ import annotations

import posixpath
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from trasloco.fit.families.compounds import compounds_apart
from trasloco.fit.families.kinds import KINDS, Fill
from trasloco.fit.families.reading import Reading, readings_of
from trasloco.inventory.seeing import Sight
from trasloco.scene.tokens import Taken, taken_apart

_ENOUGH, _MARGIN, _NEIGHBOUR, _MOST_NEIGHBOURS, _HAS_COLOR = 3.5, 0.75, 1.5, 3, 1.0
_PLAIN, _PLAIN_AMONG_SEVERAL = 1.5, 2.5
_SURFACE = {"normal", "roughness", "gloss", "specular", "metalness"}


@dataclass(frozen=True)
class Recognised:
    """What an image is taken for.

    Attributes:
        name: as given. kinds: keys of :data:`trasloco.fit.families.kinds.KINDS`; empty when not sure. fills:
            the inputs it fills.
        key: words of its set. tile: UDIM number or 0. size, version: as written in the name.
        reason: why, or why not, in words.
    """

    name: str
    kinds: tuple[str, ...]
    fills: tuple[Fill, ...]
    key: tuple[str, ...]
    reason: str
    tile: int = 0
    size: str = ""
    version: int = -1

    @property
    def sure(self) -> bool:
        return bool(self.kinds)


def recognised(names: Sequence[str], seen: Mapping[str, Sight] | None = None) -> list[Recognised]:
    """Recognise file names or paths, each helped by its neighbours and, where ``seen`` has it, by what is in
    it.

    Never guesses between two readings that are about as good: such an image comes back without kinds and says
    what it might be.
    """
    taken = [compounds_apart(taken_apart(name)) for name in names]
    ways = [readings_of(one) for one in taken]
    near = _neighbours(ways)
    ways = [[*readings, *_plain(one, near)] for readings, one in zip(ways, taken, strict=True)]
    made = [
        _one(name, one, ways[k], near, (seen or {}).get(name))
        for k, (name, one) in enumerate(zip(names, taken, strict=True))
    ]
    stems: dict[str, int] = defaultdict(int)
    for name in names:
        stems[_stem(name)] += 1
    made = [_by_folder(found, taken[k], stems[_stem(found.name)] > 1) for k, found in enumerate(made)]
    return _settled(made, ways, taken, seen or {})


def _neighbours(ways: Sequence[Sequence[Reading]]) -> dict[tuple[str, ...], dict[str, set[int]]]:
    """For every set of words, the kinds that some name reads as with just those words left over, and which
    names.
    """
    near: dict[tuple[str, ...], dict[str, set[int]]] = defaultdict(lambda: defaultdict(set))
    for number, readings in enumerate(ways):
        for reading in readings:
            near[reading.key]["+".join(reading.kinds)].add(number)
    return near


def _plain(taken: Taken, near: Mapping[tuple[str, ...], Mapping[str, set[int]]]) -> list[Reading]:
    """The reading of a name as that of a whole set, which is its colour where the others of the set carry
    more words.
    """
    others = set(near.get(taken.words, ()))
    if not taken.words or not others & _SURFACE or "base_color" in others:
        return []
    return [
        Reading(
            ("base_color",),
            KINDS["base_color"].fills,
            taken.words,
            _PLAIN + (_PLAIN_AMONG_SEVERAL if len(others) > 1 else 0.0),
            "",
        )
    ]


def _support(reading: Reading, near: Mapping[tuple[str, ...], Mapping[str, set[int]]]) -> float:
    own = "+".join(reading.kinds)
    others = {kind for kind in near[reading.key] if kind != own}
    return _NEIGHBOUR * min(len(others), _MOST_NEIGHBOURS) + (
        _HAS_COLOR if "base_color" in others and reading.key else 0.0
    )


def _one(
    name: str,
    taken: Taken,
    readings: Sequence[Reading],
    near: Mapping[tuple[str, ...], Mapping[str, set[int]]],
    sight: Sight | None,
) -> Recognised:
    blank = Recognised(name, (), (), taken.words, "", taken.tile, taken.size, taken.version)
    scored = sorted(
        ((reading.score + _support(reading, near), reading) for reading in readings),
        key=lambda pair: -pair[0],
    )
    if not scored or scored[0][0] < _ENOUGH:
        if sight is not None and sight.normals:
            return replace(
                blank,
                kinds=("normal",),
                fills=KINDS["normal"].fills,
                reason="The name says nothing; its texels are directions.",
            )
        return replace(blank, reason="The name says nothing about what it is.")
    best, reading = scored[0]
    rivals = [other for score, other in scored[1:] if best - score < _MARGIN and other.kinds != reading.kinds]
    if rivals:
        return replace(blank, reason=f"It might be {_names(reading.kinds)} or {_names(rivals[0].kinds)}.")
    neighbours = sum(
        len(numbers) for kind, numbers in near[reading.key].items() if kind != "+".join(reading.kinds)
    )
    if reading.letter and not neighbours:
        return replace(
            blank,
            reason=f"One letter, {reading.letter and reading.words.upper()}, and nothing beside it that would tell.",
        )
    if not reading.words:
        contrary = _contrary(reading.kinds, sight)
        told = f"Named like the set “{' '.join(reading.key)}”, which has no other colour"
        return (
            replace(blank, reason=f"{told}, but {contrary}.")
            if contrary
            else replace(blank, kinds=reading.kinds, fills=reading.fills, key=reading.key, reason=told + ".")
        )
    reason = f"“{reading.words}” says {_names(reading.kinds)}" + (
        f"; {neighbours} more belong to “{' '.join(reading.key) or 'the folder'}”." if neighbours else "."
    )
    contrary = _contrary(reading.kinds, sight)
    if contrary:
        return replace(blank, reason=f"“{reading.words}” says {_names(reading.kinds)}, but {contrary}.")
    return replace(blank, kinds=reading.kinds, fills=reading.fills, key=reading.key, reason=reason)


def _names(kinds: Sequence[str]) -> str:
    labels = [KINDS[kind].label for kind in kinds]
    return labels[0] if len(labels) == 1 else ", ".join(labels[:-1]) + " and " + labels[-1] + " packed"


def _contrary(kinds: Sequence[str], sight: Sight | None) -> str:
    """What the texels say against the name, or nothing."""
    if sight is None or len(kinds) != 1:
        return ""
    holds = KINDS[kinds[0]].holds
    if holds == "vectors" and not sight.normals:
        return "its texels are no directions"
    if holds in ("color", "grey") and sight.normals:
        return "its texels are directions of a normal map"
    if holds == "grey" and not sight.grey and kinds[0] != "transmission":
        return "its channels differ, as in a packed image"
    return ""


def _stem(name: str) -> str:
    return posixpath.splitext(posixpath.basename(name.replace("\\", "/")))[0].lower()


def _by_folder(found: Recognised, taken: Taken, again: bool) -> Recognised:
    """An image whose folder is named for its kind, such as ``normal/wing.png``; ``again`` when the same name
    lies in other folders too.
    """
    folder = posixpath.basename(posixpath.dirname(found.name.replace("\\", "/")))
    if not folder:
        return found
    whole = [
        reading
        for reading in readings_of(taken_apart(folder + ".x"))
        if not reading.key and not reading.letter
    ]
    if found.sure and not (whole and again and found.kinds != whole[0].kinds):
        return replace(found, key=taken_apart(folder + ".x").words) if not found.key else found
    if not whole or (not again and ("might" in found.reason or "but" in found.reason)):
        return found
    reading = whole[0]
    return replace(
        found,
        kinds=reading.kinds,
        fills=reading.fills,
        key=taken.words,
        reason=f"It lies in a folder called “{folder}”.",
    )


def _settled(
    made: list[Recognised],
    ways: Sequence[Sequence[Reading]],
    taken: Sequence[Taken],
    seen: Mapping[str, Sight],
) -> list[Recognised]:
    """Open letters closed by what else the set holds, and tiles told from sizes."""
    made = _tiles(made, taken)
    kinds_of: dict[tuple[str, ...], set[str]] = defaultdict(set)
    letters: list[tuple[int, Reading]] = []
    for number, found in enumerate(made):
        open_reading = (
            next(
                (
                    r
                    for r in ways[number]
                    if r.letter and r.key == found.key and r.kinds == found.kinds and len(r.letter) > 1
                ),
                None,
            )
            if found.sure
            else None
        )
        if open_reading is not None:
            letters.append((number, open_reading))
        else:
            kinds_of[found.key].update(found.kinds)
    # Letters that may be the colour first: every set has one, and what it is tells the others.
    for number, reading in sorted(
        letters, key=lambda pair: ("dab".find(pair[1].words) if pair[1].words in "dab" else 9, pair[0])
    ):
        found = made[number]
        kind = _closed(
            reading, kinds_of[found.key], {one.words for k, one in letters if made[k].key == found.key}
        )
        if kind is None:
            might = " or ".join(KINDS[k].label for k in reading.letter)
            made[number] = replace(
                found,
                kinds=(),
                fills=(),
                reason=f"{reading.words.upper()} might be {might}; nothing beside it tells which.",
            )
            continue
        contrary = _contrary((kind,), seen.get(found.name))
        if contrary:
            made[number] = replace(
                found,
                kinds=(),
                fills=(),
                reason=f"{reading.words.upper()} would be {KINDS[kind].label}, but {contrary}.",
            )
            continue
        kinds_of[found.key].add(kind)
        made[number] = replace(
            found,
            kinds=(kind,),
            fills=KINDS[kind].fills,
            reason=f"{reading.words.upper()} is {KINDS[kind].label}, by what else belongs to “{' '.join(found.key)}”.",
        )
    return made


def _closed(reading: Reading, held: set[str], letters: set[str]) -> str | None:
    """Which of a letter's kinds it is, given what else the set holds; None where that does not tell."""
    colored = "base_color" in held
    shiny = bool(held & {"roughness", "gloss"})
    match reading.words:
        case "d":
            return "height" if colored and "height" not in held else None if colored else "base_color"
        case "a":
            if not colored and not letters & {"d", "b", "c"}:
                return "base_color"
            open_kinds = [kind for kind in ("occlusion", "opacity") if kind not in held]
            return open_kinds[0] if colored and len(open_kinds) == 1 else None
        case "b":
            return (
                ("height" if "height" not in held else None)
                if colored
                else "base_color"
                if "normal" in held or shiny
                else None
            )
        case "s":
            if "specular" in held:
                return "gloss" if not shiny else None
            return "specular" if shiny else "gloss" if "metalness" in held or "m" in letters else None
        case "m":
            if "metalness" in held:
                return "mask"
            return "metalness" if shiny or "s" in letters else None
        case "o":
            open_kinds = [kind for kind in ("occlusion", "opacity") if kind not in held]
            return open_kinds[0] if len(open_kinds) == 1 else None
    return None


def _tiles(made: list[Recognised], taken: Sequence[Taken]) -> list[Recognised]:
    """A number like 1024 is a tile where the same image comes with other tile numbers, else a size."""
    groups: dict[tuple[tuple[str, ...], tuple[str, ...]], set[int]] = defaultdict(set)
    for found, one in zip(made, taken, strict=True):
        if one.tile:
            groups[found.key, found.kinds].add(one.tile)
    return [
        replace(found, tile=one.maybe_tile, size="")
        if one.maybe_tile and groups.get((found.key, found.kinds))
        else found
        for found, one in zip(made, taken, strict=True)
    ]
