"""What a crossing is planned by: its material, the sheets on both sides, what the artist asked for."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from trasloco.decisions.materials import FileAsked
from trasloco.fit.draft import Draft, is_default, knows
from trasloco.fit.fitted import Fitted
from trasloco.fit.naming import file_names
from trasloco.fit.together.between import one_a_part
from trasloco.scene.images import Image
from trasloco.scene.model import Input, Material, Scene
from trasloco.sheets.layouts import has_geometry, images_alone
from trasloco.sheets.model import IN_BLOCKS, CodedKind, ImageRules, InputRule, Materials, Sheet


@dataclass(frozen=True)
class Way:
    """A material's way from a reference to a destination.

    Attributes:
        largest: the longest side that is asked for, 0 for none. file: the kind of image file that is asked
            for. paint: how vertex colours are to travel.
        fit: how its inputs are to come nearest, where others do not arrive.
    """

    material: Material
    reference: Scene
    source: Sheet
    destination: Sheet
    largest: int = 0
    file: FileAsked | None = None
    paint: str = ""
    fit: Fitted | None = None

    @property
    def rules(self) -> Materials:
        return self.destination.materials

    def knows(self, name: str) -> bool:
        """Whether the destination takes an input, as a number or as an image."""
        return knows(self.destination, name)

    def rule(self, name: str) -> InputRule | None:
        return self.rules.inputs.get(name)

    def image(self, given: Input | None) -> Image | None:
        """The image of an input that can be read."""
        image = self.reference.images.get(given.texture.image) if given and given.texture else None
        return image if image is not None and image.usable else None

    def fitting(self, draft: Draft, image: Image) -> tuple[int, int]:
        """The size an image is delivered at."""
        return draft.fitting(image, self.files())

    def files(self, see_through: bool = False) -> ImageRules:
        """What an image file must be: of the kind that is asked for, where the destination reads it and it
        can hold see-through; else as the sheet says.
        """
        rules, asked = self.destination.images, self.file
        if (
            asked is None
            or asked["kind"] not in kinds_to_choose(self.destination)
            or (see_through and asked["kind"] == "jpg")
        ):
            return rules
        return rules.as_files(asked["kind"], asked["loss"])

    @property
    def file_name(self) -> str:
        """What its image files are named after."""
        if not images_alone(self.destination):
            return self.material.name
        return file_names(self.reference.materials.values())[self.material.id]

    @property
    def lays_anew(self) -> bool:
        """Whether meshes travel, so that images may lie on new UVs."""
        return has_geometry(self.destination)

    @cached_property
    def painted(self) -> bool:
        return has_paint(self.reference, self.material.id)

    @cached_property
    def by_metalness(self) -> bool:
        """Whether a material told by specular colour must be told by metalness: it is no metal yet, and the
        destination takes the one and not the other.
        """
        inputs = self.material.inputs
        specular, metalness = inputs.get("specular_color"), inputs.get("metalness", Input((0.0,)))
        if specular is None or is_default("specular_color", specular) or self.knows("specular_color"):
            return False
        return self.knows("metalness") and metalness.texture is None and metalness.factor[0] == 0


def kinds_to_choose(destination: Sheet) -> tuple[CodedKind, ...]:
    """The kinds of image file that can be asked for, its own first; none where files are of no one
    material.
    """
    rules, own = destination.images, destination.images.kind
    if one_a_part(destination) or own == "exr":
        return ()
    return own, *(
        kind for kind in rules.also if kind != own and (rules.power_of_two or kind not in IN_BLOCKS)
    )


def has_paint(reference: Scene, material: str) -> bool:
    """Whether any part of a material has vertex colours that are not plain white."""
    return any(
        primitive.colors is not None
        and len(primitive.colors)
        and float(np.abs(primitive.colors[:, :3] - 1).max()) > 1 / 512
        for mesh in reference.meshes.values()
        for primitive in mesh.primitives
        if primitive.material == material
    )
