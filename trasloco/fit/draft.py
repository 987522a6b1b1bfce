"""A crossing while it is planned."""

from __future__ import annotations

from dataclasses import dataclass, replace

from trasloco.fit.model import Mark, Step
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.inventory.checks.images import delivered_size
from trasloco.scene import layers
from trasloco.scene.images import Image
from trasloco.scene.model import Input
from trasloco.sheets.model import IN_BLOCKS, ImageRules, ImageSet, Sheet


@dataclass(frozen=True)
class Draft:
    """A crossing while it is planned. Every rule gives a new one.

    Attributes:
        name, label, given: the input at the source. target: the one it becomes, empty for none.
        alpha: see-through of the material at the destination, where this input decides it.
        size: of its image as delivered, None without one. value: the number that stands beside the image.
        channel, set: its place in a delivered image. asked: longest side the artist asked for, 0 for none.
        deep: whether its image holds more than eight bits a channel.
    """

    name: str
    label: str
    given: Input
    target: str
    steps: tuple[Step, ...] = ()
    mark: Mark = "exact"
    reason: str = ""
    alpha: str = ""
    size: tuple[int, int] | None = None
    channel: str = ""
    set: ImageSet | None = None
    value: tuple[float, ...] = ()
    asked: int = 0
    deep: bool = False

    def then(self, *steps: Step) -> Draft:
        """With more steps."""
        return replace(self, steps=(*self.steps, *steps))

    def close(self, reason: str) -> Draft:
        return replace(self, mark="close", reason=reason)

    def close_unless_told(self, reason: str) -> Draft:
        """Close, for the reason that was already told where there is one."""
        return replace(self, mark="close", reason=self.reason or reason)

    def lost(self, reason: str) -> Draft:
        return replace(self, mark="lost", reason=reason, target="", size=None)

    def has(self, *kinds: str) -> bool:
        return any(step.kind in kinds for step in self.steps)

    @property
    def travels(self) -> bool:
        return self.mark not in ("lost", "blocked") and bool(self.target)

    @property
    def vectors(self) -> bool:
        """Whether its texels are directions, or become some."""
        return self.name in VECTORS or self.name == "height"

    @property
    def baked(self) -> bool:
        """Whether it is drawn into an image of its own: vertex colours, or layers that do not lie alike."""
        return any(step.settings.get("bake") for step in self.steps)

    @property
    def in_atlas(self) -> bool:
        """Whether that image is an atlas of charts, and not a palette."""
        return any(step.settings.get("bake") and step.settings.get("how") == "atlas" for step in self.steps)

    @property
    def tinted(self) -> bool:
        """Whether a number is to be multiplied with its image."""
        return (
            self.size is not None
            and not self.vectors
            and not self.has("metal", "see_through", "fit")
            and any(f != 1.0 for f in self.given.factor)
        )

    @property
    def placement(self) -> tuple[object, ...]:
        """How its image will lie on the surface."""
        return ("an atlas of its own",) if self.baked else placement_of(self.given)

    def fitting(self, image: Image, rules: ImageRules) -> tuple[int, int]:
        """The size an image is delivered at: what the destination takes, and no more than was asked for."""
        return self.fitted((image.width, image.height), rules)

    def fitted(self, size: tuple[int, int], rules: ImageRules) -> tuple[int, int]:
        """The same of a size (width, height)."""
        width, height = delivered_size(*size, rules.largest, rules.power_of_two)
        if self.asked and self.asked < max(width, height):
            width, height = (max(1, side * self.asked // max(width, height)) for side in (width, height))
        return (max(width, 4), max(height, 4)) if rules.kind in IN_BLOCKS else (width, height)


def is_default(name: str, given: Input) -> bool:
    return given.texture is None and not given.layers and tuple(given.factor) == INPUTS[name].default


def knows(destination: Sheet, name: str) -> bool:
    return name in destination.materials.inputs or destination.materials.set_of(name) is not None


def placement_of(given: Input) -> tuple[object, ...]:
    """How an input's image lies on the surface; empty without an image."""
    return layers.placement_of(given.texture)
