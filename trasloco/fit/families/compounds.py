"""Words written together, ``laurelmask``, taken apart where their end says what an image is."""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.families.kinds import GREEN, NOISE, WORDS
from trasloco.scene.tokens import Taken

_ENDS = tuple(
    sorted(
        (
            "mask", "map", "maps", "normal", "normals", "nrm", "roughness", "glossiness", "gloss", "albedo", "diffuse",
            "opacity", "alpha", "height", "displacement", "occlusion", "specular", "emissive", "emission", "metallic",
            "metalness", "basecolor", "basecolour", "texture", "opengl", "directx",
        ),
        key=len,
        reverse=True,
    )
)  # fmt: skip
"""What a word may end with that names a thing otherwise. Ends of everyday words are left out: sheetmetal is a
thing, watercolor a paint.
"""
_LEAST = 3


def compounds_apart(taken: Taken) -> Taken:
    """The name with words that end like that taken apart; words that are known as they are stay."""
    words: list[str] = []
    runs: list[int] = []
    for word, run in zip(taken.words, taken.runs):
        for piece in _pieces(word):
            words.append(piece)
            runs.append(run)
    return replace(taken, words=tuple(words), runs=tuple(runs))


def _pieces(word: str) -> list[str]:
    if word in WORDS or word in NOISE or word in GREEN:
        return [word]
    for end in _ENDS:
        if word.endswith(end) and len(word) - len(end) >= _LEAST:
            return [*_pieces(word[: -len(end)]), end]
    return [word]
