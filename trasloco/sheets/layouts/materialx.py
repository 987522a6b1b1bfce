"""MaterialX documents with OpenPBR networks, images beside them, for meshes that stand there already."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.looks_alone import faults_of_looks
from trasloco.sheets.layouts.usd_and_materialx import faults_of_networks
from trasloco.sheets.model import Sheet


def _faults(sheet: Sheet) -> Iterator[Fault]:
    yield from faults_of_looks(sheet)
    yield from faults_of_networks(sheet)


FACTS = LayoutFacts(
    "materialx",
    "openpbr",
    _faults,
    forms=("mtlx",),
    files=("one", "one a material"),
    images=("png", "jpg", "tif", "exr"),
    geometry=False,
)
