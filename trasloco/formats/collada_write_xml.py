"""Elements of COLLADA documents: with attributes and text, and sources of numbers or names."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from xml.etree.ElementTree import Element, SubElement

import numpy as np
import numpy.typing as npt


def add(above: Element, tag: str, given: Mapping[str, str] | None = None, text: str = "") -> Element:
    """A new element below another."""
    made = SubElement(above, tag, dict(given or {}))
    if text:
        made.text = text
    return made


def numbers(values: npt.NDArray[np.floating]) -> str:
    """Numbers as text that gives them back, single precision where that is what they are."""
    form = "%.9g" if values.dtype == np.float32 else "%.17g"
    return " ".join(map(form.__mod__, values.reshape(-1).tolist()))


def source(
    above: Element,
    id: str,
    values: npt.NDArray[np.floating] | Sequence[str],
    columns: tuple[str, ...],
    kind: str = "float",
) -> None:
    """A source: rows of numbers (N, C) by named columns, or names (N,), which are ids where the kind is ``IDREF``."""
    made = add(above, "source", {"id": id})
    if isinstance(values, np.ndarray):
        add(made, "float_array", {"id": f"{id}-array", "count": str(values.size)}, numbers(values))
        stride = values.shape[1]
    else:
        kind = kind if kind == "IDREF" else "name"
        array = "IDREF_array" if kind == "IDREF" else "Name_array"
        add(made, array, {"id": f"{id}-array", "count": str(len(values))}, " ".join(values))
        stride = 1
    told = {"source": f"#{id}-array", "count": str(len(values)), "stride": str(stride)}
    accessor = add(add(made, "technique_common"), "accessor", told)
    for column in columns:
        add(accessor, "param", {"name": column, "type": kind})
