"""What a material and a part of the demo are made by."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from demo.shapes import Shape
from demo.surfaces import Surface


@dataclass(frozen=True)
class MaterialPlan:
    """A material before its images are files: procedural surface, constants, and how it behaves."""

    name: str
    file: str
    make: Callable[[np.random.Generator], Surface] | None = None
    constants: tuple[tuple[str, tuple[float, ...]], ...] = ()
    alpha_mode: str = "opaque"
    double_sided: bool = False
    vertex_color: bool = False


@dataclass(frozen=True)
class PartPlan:
    name: str
    group: str
    material: str
    shape: Shape
