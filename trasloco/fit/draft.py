"""A crossing while it is planned."""

from __future__ import annotations

from dataclasses import dataclass, field

from trasloco.fit.model import Mark, Step
from trasloco.inputs.table import INPUTS
from trasloco.inventory.checks.images import delivered_size
from trasloco.scene import layers
from trasloco.scene.images import Image
from trasloco.scene.model import Input
from trasloco.sheets.model import ImageSet, Sheet

WHOLE_CODES = frozenset({"copy", "extract", "invert", "green", "see_through", "pad", "cut", "value", "pack"})
"""Steps that make whole codes of whole codes (inverted in a straight line)."""


@dataclass
class Draft:
    """A crossing while it is planned."""

    name: str
    label: str
    given: Input
    target: str
    steps: list[Step] = field(default_factory=list)
    mark: Mark = "exact"
    reason: str = ""
    size: tuple[int, int] | None = None
    channel: str = ""
    set: ImageSet | None = None
    value: tuple[float, ...] = ()
    asked: int = 0
    """Longest side the artist asked for, 0 for none."""
    deep: bool = False
    """Whether its image holds more than eight bits a channel."""

    @property
    def baked(self) -> bool:
        """Whether it is drawn into an image of its own: vertex colours, or layers that do not lie alike."""
        return any(step.settings.get("bake") for step in self.steps)

    @property
    def in_atlas(self) -> bool:
        """Whether that image is an atlas of charts, and not a palette."""
        return any(step.settings.get("bake") and step.settings.get("how") == "atlas" for step in self.steps)

    def falls_between_codes(self, encoding: str) -> bool:
        """Whether its image may say more than eight bits of ``encoding`` hold: the given one does, or texels
        are computed.
        """
        texture = self.given.texture
        recoded = texture is not None and INPUTS[self.target].color and texture.encoding != encoding
        return (
            self.deep
            or recoded
            or any(
                step.kind not in WHOLE_CODES or step.settings.get("curve", "linear") != "linear"
                for step in self.steps
            )
        )

    @property
    def placement(self) -> tuple[object, ...]:
        """How its image will lie on the surface."""
        return ("an atlas of its own",) if self.baked else placement_of(self.given)

    def fitting(self, image: Image, destination: Sheet) -> tuple[int, int]:
        """The size an image is delivered at: what the destination takes, and no more than was asked for."""
        width, height = delivered_size(
            image.width, image.height, destination.images.largest, destination.images.power_of_two
        )
        if self.asked and self.asked < max(width, height):
            width, height = (max(1, side * self.asked // max(width, height)) for side in (width, height))
        return (max(width, 4), max(height, 4)) if destination.images.kind == "ktx2" else (width, height)


def is_default(name: str, given: Input) -> bool:
    return given.texture is None and not given.layers and tuple(given.factor) == INPUTS[name].default


def knows(destination: Sheet, name: str) -> bool:
    return name in destination.materials.inputs or destination.materials.set_of(name) is not None


def placement_of(given: Input) -> tuple[object, ...]:
    """How an input's image lies on the surface; empty without an image."""
    return layers.placement_of(given.texture)
