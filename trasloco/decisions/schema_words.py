"""What a value has to be, said from its JSON Schema: ``kelvin from 1667 to 25000``, ``opaque, mask or
blend``, ``true or false``.
"""

from __future__ import annotations

from typing import Any


def wanted(schema: dict[str, Any]) -> str:
    """Words for a schema of a flag, a number, a text, a choice, a list of numbers, or of one of these or
    nothing.
    """
    if "anyOf" in schema:
        ways = [wanted(one) for one in schema["anyOf"]]
        return ", or ".join(ways)
    if "enum" in schema:
        return _listed([str(one) for one in schema["enum"] if one is not None]) + (
            ", or nothing" if None in schema["enum"] else ""
        )
    if "const" in schema:
        return str(schema["const"])
    kind = schema.get("type")
    if kind == "boolean":
        return "true or false"
    if kind == "null":
        return "nothing"
    if kind in ("number", "integer"):
        return _number(schema)
    if kind == "array":
        return _array(schema)
    if kind == "string":
        return f"a text of {'at most ' + str(schema['maxLength']) + ' ' if 'maxLength' in schema else ''}characters"
    return "a value"


def _number(schema: dict[str, Any]) -> str:
    low, high, above = schema.get("minimum"), schema.get("maximum"), schema.get("exclusiveMinimum")
    unit = schema.get("unit", "a whole number" if schema["type"] == "integer" else "a number")
    if above == 0:
        return f"{unit} above zero" + (f", at most {_digits(high)}" if high is not None else "")
    if low is not None and high is not None:
        return f"{unit} from {_digits(low)} to {_digits(high)}"
    return unit if low is None else f"{unit}, at least {_digits(low)}"


def _digits(value: float) -> str:
    """Written out: 1000000 and 0.000001, never 1e+06."""
    return f"{value:.10f}".rstrip("0").rstrip(".")


def _array(schema: dict[str, Any]) -> str:
    low, high = schema.get("minItems"), schema.get("maxItems")
    if "prefixItems" in schema:
        low = high = len(schema["prefixItems"])
    count = (
        str(high)
        if low == high and high is not None
        else f"at most {high}"
        if high is not None
        else "any number of"
    )
    return f"a list of {count} {'numbers' if schema.get('items', {}).get('type') in ('number', 'integer') else 'values'}"


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} or {words[-1]}"
