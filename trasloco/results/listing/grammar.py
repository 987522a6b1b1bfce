"""The text of a packing list taken apart and put together: things, each with what is said of it line by line.

A thing begins at the border with its kind, its name and its id in brackets. What is said of it stands below,
moved in, a key before a colon. A line that begins with ``#`` is read by nobody, and so is an empty one.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

_HEAD = re.compile(r"^(?P<kind>[a-z]+)(?: (?P<name>.*?))? \[(?P<id>[^\[\]]*)\]$")
_MOST_LINES = 200_000


@dataclass(frozen=True)
class Entry:
    """A thing: its kind, its id without what stands before the colon, its name, and what is said by key.

    ``line`` and ``lines`` tell where it was read, counted from 1.
    """

    kind: str
    id: str
    name: str
    says: dict[str, str]
    line: int = 0
    lines: dict[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class Misread:
    """A line that cannot be understood: its number, its text, why not, and what to do."""

    line: int
    text: str
    why: str
    remedy: str


def written(heading: Sequence[str], entries: Iterable[Entry]) -> str:
    """Things as text, below lines that are read by nobody."""
    lines = [f"# {line}".rstrip() for line in heading]
    for entry in entries:
        name = " ".join(entry.name.replace("[", "(").replace("]", ")").split())
        lines += ["", f"{entry.kind} {name} [{entry.id}]" if name else f"{entry.kind} [{entry.id}]"]
        lines += [f"  {key}: {value}".rstrip() for key, value in entry.says.items()]
    return "\n".join([*lines, ""])


def read(text: str) -> tuple[list[Entry], list[Misread]]:
    """Things out of a text, or out of the same as JSON, and the lines that cannot be understood."""
    if text.lstrip().startswith("{"):
        return _read_json(text)
    entries: list[Entry] = []
    misread: list[Misread] = []
    seen: dict[tuple[str, str], int] = {}
    for number, raw in enumerate(text.lstrip("\ufeff").splitlines(), 1):
        line = raw.rstrip()
        if number > _MOST_LINES:
            misread.append(
                Misread(number, line[:80], "The list has too many lines.", "Hand back a list of this move.")
            )
            break
        if not line or line.lstrip().startswith("#"):
            continue
        if line[0] not in " \t":
            _begin(number, line, entries, misread, seen)
            continue
        key, colon, value = line.strip().partition(":")
        key = " ".join(key.casefold().split())
        if not colon or not key:
            misread.append(
                Misread(number, line.strip()[:120], "There is no colon.", "Write it as: key: value.")
            )
        elif not entries:
            misread.append(
                Misread(number, line.strip()[:120], "Nothing stands above it.", "Put it below a thing.")
            )
        elif key in entries[-1].says:
            again = f"It is said twice, first in line {entries[-1].lines[key]}."
            misread.append(Misread(number, line.strip()[:120], again, "Keep one of the two."))
        else:
            entries[-1].says[key] = " ".join(value.split())
            entries[-1].lines[key] = number
    return entries, misread


def _begin(
    number: int, line: str, entries: list[Entry], misread: list[Misread], seen: dict[tuple[str, str], int]
) -> None:
    head = _HEAD.match(line)
    if head is None:
        why = "It is neither a thing nor something that is said of one."
        misread.append(
            Misread(number, line[:120], why, "A thing is: kind name [id]. What is said of it is moved in.")
        )
        return
    place = head["kind"], head["id"]
    if place in seen:
        why = f"This thing is listed twice, first in line {seen[place]}."
        misread.append(Misread(number, line[:120], why, "Keep one of the two."))
    seen.setdefault(place, number)
    entries.append(Entry(head["kind"], head["id"], head["name"] or "", {}, number))


def as_json(heading: Sequence[str], entries: Iterable[Entry]) -> str:
    """The same for programs."""
    things = [{"kind": e.kind, "id": e.id, "name": e.name, "says": e.says} for e in entries]
    return json.dumps({"packing list": list(heading), "things": things}, indent=1, ensure_ascii=False) + "\n"


def _read_json(text: str) -> tuple[list[Entry], list[Misread]]:
    try:
        told: Any = json.loads(text)
    except (ValueError, RecursionError) as error:
        line = getattr(error, "lineno", 1)
        return [], [Misread(line, "", f"This is no JSON ({error}).", "Mend it, or hand back the text.")]
    things = told.get("things") if isinstance(told, dict) else None
    entries: list[Entry] = []
    misread: list[Misread] = []
    for number, one in enumerate(things if isinstance(things, list) else [], 1):
        says = one.get("says") if isinstance(one, dict) else None
        named = isinstance(one, dict) and all(isinstance(one.get(key), str) for key in ("kind", "id"))
        if not named or not isinstance(says, dict) or not all(isinstance(v, str) for v in says.values()):
            misread.append(
                Misread(
                    number,
                    "",
                    f"Thing {number} has no kind, id and says.",
                    "Write all three; what it says as text.",
                )
            )
            continue
        kept = {" ".join(str(key).casefold().split()): " ".join(value.split()) for key, value in says.items()}
        entries.append(
            Entry(one["kind"], one["id"], str(one.get("name", "")), kept, number, dict.fromkeys(kept, number))
        )
    if not isinstance(things, list):
        misread.append(Misread(1, "", "There is no list of things in it.", 'Give "things", a list.'))
    return entries, misread
