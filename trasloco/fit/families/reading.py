"""Ways to read one name: every kind its words may mean, with what is left over as the name of the set."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from trasloco.fit.families.kinds import GREEN, KINDS, LETTERS, NOISE, PACKED_LETTERS, WORDS, Fill
from trasloco.scene.tokens import Taken

_LONGEST_PHRASE = 3
AT_END, AT_START = 2.0, 1.0


@dataclass(frozen=True)
class Reading:
    """One way to read a name.

    Attributes:
        kinds: what the image holds; several when it is packed. fills: the inputs it would fill.
        key: the words of the set it would belong to. score: how much the name alone speaks for it. words: the
            words it rests on.
        letter: kinds that a single letter leaves open, else empty.
    """

    kinds: tuple[str, ...]
    fills: tuple[Fill, ...]
    key: tuple[str, ...]
    score: float
    words: str
    letter: tuple[str, ...] = ()


def readings_of(taken: Taken) -> list[Reading]:
    """All ways to read a name, none left out; the best by name alone first."""
    words = taken.words
    telling = [
        k for k, word in enumerate(words) if word not in NOISE and word not in GREEN and not word.isdigit()
    ]
    if not telling:
        return []
    found = [*_phrases(taken, telling), *_packed_letters(taken, telling), *_letters(taken, telling)]
    return sorted(found, key=lambda reading: -reading.score)


def _key(taken: Taken, start: int, end: int) -> tuple[str, ...]:
    return tuple(
        word
        for k, word in enumerate(taken.words)
        if not start <= k < end and word not in NOISE and word not in GREEN
    )


def _strength(word: str) -> float:
    return 3.0 if len(word) >= 4 else 2.5 if len(word) == 3 else 2.0


def _place(start: int, end: int, telling: list[int]) -> float:
    return (
        AT_END
        if telling[-1] < end and telling[-1] >= start
        else AT_START
        if start <= telling[0] < end
        else 0.0
    )


def _phrases(taken: Taken, telling: list[int]) -> Iterator[Reading]:
    """Words, and runs of words next to each other: one kind each."""
    words = taken.words
    spans: list[tuple[int, int, str]] = []
    for start in range(len(words)):
        for end in range(start + 1, min(start + _LONGEST_PHRASE, len(words)) + 1):
            kind = WORDS.get("".join(words[start:end]))
            if kind is not None:
                spans.append((start, end, kind))
    for start, end, kind in spans:
        longer = 0.5 * (end - start - 1)
        green = _green(taken) if KINDS[kind].holds == "vectors" else None
        fills = tuple(
            Fill(f.input, f.channels, f.invert, green) if KINDS[kind].holds == "vectors" else f
            for f in KINDS[kind].fills
        )
        yield Reading(
            (kind,),
            fills,
            _key(taken, start, end),
            _strength("".join(words[start:end])) + longer + _place(start, end, telling),
            " ".join(words[start:end]),
        )
    for chain in _chains(spans):
        start, end = chain[0][0], chain[-1][1]
        kinds = tuple(kind for _, _, kind in chain)
        packed = packed_fills(kinds)
        if packed is None:
            continue
        alone = {taken.runs[k] for k in range(start, end)}
        whole_run = len(alone) == 1 and all(
            word in NOISE for k, word in enumerate(words) if taken.runs[k] in alone and not start <= k < end
        )
        bonus = 2.0 if len(kinds) >= 3 else 1.5 if whole_run else 0.0
        yield Reading(
            kinds,
            packed,
            _key(taken, start, end),
            3.0 + bonus + _place(start, end, telling),
            " ".join(words[start:end]),
        )


def _chains(spans: list[tuple[int, int, str]]) -> Iterator[list[tuple[int, int, str]]]:
    """Two to four spans that follow each other without a gap, each as long as it can be."""
    best = {start: (start, end, kind) for start, end, kind in spans}
    for start in sorted(best):
        chain = [best[start]]
        while chain[-1][1] in best and len(chain) < 4:
            chain.append(best[chain[-1][1]])
            yield list(chain)


_PAIRS: dict[tuple[str, str], tuple[Fill, ...]] = {
    ("metalness", "gloss"): (Fill("metalness", "r"), Fill("roughness", "a", True)),
    ("base_color", "gloss"): (Fill("base_color", "rgb"), Fill("roughness", "a", True)),
    ("base_color", "opacity"): (Fill("base_color", "rgb"), Fill("opacity", "a")),
    ("base_color", "transparency"): (Fill("base_color", "rgb"), Fill("opacity", "a")),
    ("specular", "gloss"): (Fill("specular_color", "rgb"), Fill("roughness", "a", True)),
    ("normal", "height"): (Fill("normal", "rgb"), Fill("height", "a")),
    # The arrangement of glTF 2.0.
    ("metalness", "roughness"): (Fill("roughness", "g"), Fill("metalness", "b")),
    ("occlusion", "roughness"): (Fill("occlusion", "r"), Fill("roughness", "g")),
}
"""Two kinds named together: a colour and a grey share RGB and alpha; two greys lie as the trade lays them."""


def packed_fills(kinds: tuple[str, ...]) -> tuple[Fill, ...] | None:
    """Where each kind of a packed image lies: greys in the order of their names; None where the name does not
    tell.
    """
    if len(set(kinds)) < len(kinds):
        return None
    if len(kinds) == 2:
        return _PAIRS.get((kinds[0], kinds[1]))
    if any(KINDS[kind].holds != "grey" and kind != "mask" for kind in kinds):
        return None
    return tuple(
        Fill(fill.input, channel, fill.invert)
        for kind, channel in zip(kinds, "rgba", strict=False)
        for fill in KINDS[kind].fills
    )


def _packed_letters(taken: Taken, telling: list[int]) -> Iterator[Reading]:
    """A word whose letters each name a grey, such as ``orm``; also written apart, ``o_r_m``."""
    words = taken.words
    for start in range(len(words)):
        for end in range(start + 1, min(start + 4, len(words)) + 1):
            if end - start > 1 and any(len(word) > 2 for word in words[start:end]):
                break
            kinds = _spelled("".join(words[start:end]))
            if kinds is not None:
                fills = tuple(
                    Fill(fill.input, channel, fill.invert)
                    for kind, channel in zip(kinds, "rgba", strict=False)
                    for fill in KINDS[kind].fills
                )
                yield Reading(
                    kinds,
                    fills,
                    _key(taken, start, end),
                    2.25 + 0.5 * (end - start - 1) + _place(start, end, telling),
                    "".join(words[start:end]),
                )


def _spelled(word: str) -> tuple[str, ...] | None:
    """Three or four greys spelled by their letters: one of roughness or gloss, and two of the rest.

    A second m is a mask, a second a is opacity.
    """
    kinds: list[str] = []
    rest = word
    while rest:
        letter = "ao" if rest.startswith("ao") else rest[0]
        kind = PACKED_LETTERS.get(letter)
        if kind is None:
            return None
        if kind in kinds:
            kind = {"metalness": "mask", "occlusion": "opacity"}.get(kind, "")
            if not kind or kind in kinds:
                return None
        kinds.append(kind)
        rest = rest[len(letter) :]
    if (
        not 3 <= len(kinds) <= 4
        or len({"roughness", "gloss"} & set(kinds)) != 1
        or not {"metalness", "occlusion"} & set(kinds)
    ):
        return None
    return tuple(kinds)


def _letters(taken: Taken, telling: list[int]) -> Iterator[Reading]:
    """One letter at the end, or at the start before other words."""
    last, first = telling[-1], telling[0]
    if last > 0 and (kinds := LETTERS.get(taken.words[last])):
        yield Reading(
            kinds[:1],
            KINDS[kinds[0]].fills,
            _key(taken, last, last + 1),
            1.5 + AT_END,
            taken.words[last],
            kinds,
        )
    if first < last and (kinds := LETTERS.get(taken.words[first])):
        yield Reading(
            kinds[:1],
            KINDS[kinds[0]].fills,
            _key(taken, first, first + 1),
            1.0 + AT_START,
            taken.words[first],
            kinds,
        )


def _green(taken: Taken) -> bool | None:
    said = {GREEN[word] for word in taken.words if word in GREEN}
    return said.pop() if len(said) == 1 else None
