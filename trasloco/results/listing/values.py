"""Values of a packing list as a person writes them, read back."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from typing import TypeVar

import numpy as np

from trasloco.scene.color import srgb_to_linear

Choice = TypeVar("Choice")


class Unclear(Exception):
    """A value that cannot be understood; its text says what would be."""


def yes_no(value: bool | None) -> str:
    return "unsaid" if value is None else "yes" if value else "no"


def read_yes_no(text: str) -> bool:
    return read_choice(text, {"yes": True, "no": False})


def read_maybe(text: str) -> bool | None:
    return read_choice(text, {"yes": True, "no": False, "unsaid": None})


def read_choice(text: str, choices: Mapping[str, Choice]) -> Choice:
    """One of some words.

    Raises:
        Unclear: another word.
    """
    word = text.casefold().strip()
    if word not in choices:
        raise Unclear(f"Write {_or(list(choices))}.")
    return choices[word]


def numbers(values: Sequence[float], unit: str = "") -> str:
    """``1 0.5 0 m``; six digits are told."""
    told = " ".join(f"{v:.6g}" if math.isfinite(v) else "endless" for v in values)
    return f"{told} {unit}".strip()


def read_numbers(text: str, count: int, unit: str = "") -> list[float]:
    """So many numbers, with or without their unit; commas between them may stand.

    Raises:
        Unclear: fewer, more, another unit, or no numbers.
    """
    words = text.replace(",", " ").split()
    if unit and words and words[-1].casefold() == unit.casefold():
        words = words[:-1]
    what = f"{count} numbers" if count > 1 else "a number"
    told = f"Write {what}{f' ({unit})' if unit else ''}."
    if len(words) != count:
        raise Unclear(told)
    try:
        found = [math.inf if word == "endless" else float(word) for word in words]
    except ValueError:
        raise Unclear(told) from None
    if any(math.isnan(v) for v in found):
        raise Unclear(told)
    return found


def read_color(text: str) -> list[float]:
    """Linear rgb out of three linear numbers, or of ``#rrggbb``, codes by IEC 61966-2-1.

    Raises:
        Unclear: neither.
    """
    if re.fullmatch(r"#[0-9a-fA-F]{6}", text.strip()):
        codes = [int(text.strip()[k : k + 2], 16) / 255 for k in (1, 3, 5)]
        return [float(v) for v in srgb_to_linear(np.array(codes))]
    try:
        return read_numbers(text, 3)
    except Unclear:
        raise Unclear("Write three linear numbers, or #rrggbb.") from None


def read_name(text: str, named: Mapping[str, Sequence[str]], what: str) -> str:
    """The id of what is called so, by name in small letters to ids.

    Raises:
        Unclear: nothing is called so, or several things are.
    """
    found = named.get(text.casefold().strip(), ())
    if not found:
        raise Unclear(f"No {what} is called {text}. Write the name of one of this move.")
    if len(found) > 1:
        raise Unclear(f"{len(found)} {what}s are called {text}. Give them names of their own first.")
    return found[0]


def _or(words: Sequence[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} or {words[-1]}"
