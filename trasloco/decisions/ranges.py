"""``python -m trasloco.decisions.ranges``: what each kind of decision takes, as JSON for the screens: bounds,
unit, choices, whether nothing is a choice, and the words.
"""

from __future__ import annotations

import json
from typing import Any

from trasloco.decisions.kind import Kind
from trasloco.decisions.kinds import KINDS
from trasloco.decisions.schema_words import wanted


def ranges() -> dict[str, dict[str, Any]]:
    """Field to its words and, where the value is a number or one of several words, ``minimum``, ``maximum``,
    ``above`` (a bound that is not reached itself), ``unit``, ``choices``, ``empty``.

    The numbers that a value is made of, or that each of a list of values is, stand under ``parts`` by their
    names.
    """
    return {field: _told(kind) for field, kind in KINDS.items()}


def _told(kind: type[Kind]) -> dict[str, Any]:
    schema = kind.value_schema()
    held = kind.model_json_schema().get("$defs", {})
    parts: dict[str, Any] = {}
    for way in schema.get("anyOf", [schema]):
        name = str((way.get("items") or way).get("$ref", "")).rpartition("/")[2]
        for part, own in held.get(name, {}).get("properties", {}).items():
            bounds = _bounds(own)
            if bounds:
                parts[part] = {"words": wanted(own.get("anyOf", [own])[0]), **bounds}
    return {"words": kind.asks_for(), **_bounds(schema), **({"parts": parts} if parts else {})}


def _bounds(schema: dict[str, Any]) -> dict[str, Any]:
    ways = schema.get("anyOf", [schema])
    first = ways[0]
    told = {
        name: first[key]
        for name, key in (
            ("minimum", "minimum"),
            ("maximum", "maximum"),
            ("above", "exclusiveMinimum"),
            ("unit", "unit"),
            ("choices", "enum"),
        )
        if key in first
    }
    return {**told, **({"empty": True} if any(one.get("type") == "null" for one in ways) else {})}


if __name__ == "__main__":
    print(json.dumps(ranges(), indent=1))
