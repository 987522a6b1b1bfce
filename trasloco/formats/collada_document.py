"""A COLLADA document as elements without namespaces, with its sources as arrays.

Both 1.4.1 and 1.5.0 are read.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any
from urllib.parse import unquote
from xml.etree.ElementTree import Element, ParseError

import numpy as np
import numpy.typing as npt
from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException

from trasloco.errors import Refused
from trasloco.formats.reading import Notes
from trasloco.limits import LIMITS

_AGAIN = "Export the file again."


def parse_xml(data: bytes, where: str) -> Element:
    """The root element, names without their namespace.

    Raises:
        Refused: broken XML, or XML that refers to other files or expands itself.
    """
    if len(data) > LIMITS.text_bytes:
        raise Refused("The file is larger than the limit for text.", where, "Deliver it as glTF.")
    try:
        root: Element = ElementTree.fromstring(data)
    except DefusedXmlException:
        raise Refused(
            "The file defines entities, which could pull in other files.", where, "Export it as plain XML."
        ) from None
    except (ParseError, ValueError, RecursionError, LookupError) as error:
        raise Refused(f"The XML of the file is damaged ({error}).", where, _AGAIN) from None
    for element in root.iter():
        if isinstance(element.tag, str):
            element.tag = element.tag.rpartition("}")[2]
    return root


def numbers(element: Element | None, count: int = 0) -> npt.NDArray[np.float64]:
    """Blank-separated numbers of an element; exactly ``count`` when given, zeros for what is absent."""
    text = (element.text or "") if element is not None else ""
    values = np.array(text.split(), np.float64) if text.strip() else np.zeros(0)
    if count and len(values) != count:
        values = np.concatenate([values[:count], np.zeros(max(count - len(values), 0))])
    return values


@dataclass
class Document:
    """Elements by id, and what is told while reading."""

    root: Element
    notes: Notes
    by_id: dict[str, Element] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for element in self.root.iter():
            id = element.get("id")
            if id:
                self.by_id.setdefault(id, element)

    def target(self, reference: str | None, tag: str) -> Element | None:
        """The element that ``#id`` names, when it is of the given tag; a finding otherwise."""
        found = self.by_id.get(unquote((reference or "").lstrip("#")))
        if found is not None and found.tag == tag:
            return found
        self.notes.note(
            "dead_reference",
            "A reference leads nowhere",
            f"{tag} {reference}",
            "What it should bring stays behind.",
            weight=40,
        )
        return None

    def source(self, reference: str | None) -> npt.NDArray[np.float64]:
        """Values (n, stride) of a source, through its accessor.

        Raises:
            Refused: an accessor that reaches past its array.
        """
        element = self.target(reference, "source")
        if element is None:
            return np.zeros((0, 3))
        values = numbers(element.find("float_array"))
        accessor = element.find("technique_common/accessor")
        if accessor is None:
            return values.reshape(-1, 3) if len(values) % 3 == 0 else values.reshape(-1, 1)
        stride, count, offset = (
            _whole(accessor, name, fallback)
            for name, fallback in (("stride", 1), ("count", 0), ("offset", 0))
        )
        if stride < 1 or count < 0 or offset < 0 or offset + stride * count > len(values):
            raise Refused(
                f"The source {element.get('id')} reaches past its {len(values)} numbers.",
                self.notes.where,
                "The file is cut short or damaged. " + _AGAIN,
            )
        table = values[offset : offset + stride * count].reshape(count, stride)
        params = accessor.findall("param")
        named = [k for k, param in enumerate(params) if param.get("name")]
        # A parameter without a name is to be passed over; one of a matrix type spans the whole stride.
        return table[:, named] if named and len(params) == stride and len(named) < stride else table

    def names(self, reference: str | None) -> list[str]:
        """Words of a source of names or ids."""
        element = self.target(reference, "source")
        for tag in ("Name_array", "IDREF_array", "SIDREF_array"):
            found = element.find(tag) if element is not None else None
            if found is not None:
                return (found.text or "").split()
        return []


def _whole(element: Element, name: str, fallback: int) -> int:
    text = element.get(name)
    return int(text) if text is not None else fallback


@dataclass(frozen=True)
class SharedInput:
    semantic: str
    source: str
    offset: int
    set: int


def shared_inputs(element: Element) -> list[SharedInput]:
    return [
        SharedInput(i.get("semantic", ""), i.get("source", ""), int(i.get("offset", 0)), int(i.get("set", 0)))
        for i in element.findall("input")
    ]


def integers(element: Element | None) -> npt.NDArray[np.int64]:
    text: Any = (element.text or "") if element is not None else ""
    return np.array(text.split(), np.int64) if text.strip() else np.zeros(0, np.int64)
