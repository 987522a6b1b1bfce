"""One input of a material. The target is ``material id/input name``."""

from __future__ import annotations

from typing import Annotated, Literal, NotRequired

from pydantic import ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Id, within
from trasloco.inputs.table import INPUTS
from trasloco.mends import copied_inputs, inventing, materials
from trasloco.mends.layer_values import MOST_LAYERS
from trasloco.scene.layers import BLENDS
from trasloco.scene.model import Scene
from trasloco.scene.spaces import SPACES

_CLOSED = ConfigDict(strict=True, extra="forbid", allow_inf_nan=False)
_Number = Annotated[float, Field(gt=-1e9, lt=1e9)]
_Pair = Annotated[list[_Number], Field(min_length=2, max_length=2)]
_Share = Annotated[float, Field(ge=0, le=1e6)]
Channels = Literal["rgb", "r", "g", "b", "a"]
Space = Literal[tuple(SPACES)]  # type: ignore[valid-type]


@with_config(_CLOSED)
class TextureValue(TypedDict):
    """An image, its channels and how it lies, see :class:`trasloco.scene.model.Texture`; what is left out has
    its default.
    """

    image: Id
    channels: NotRequired[Channels]
    encoding: NotRequired[Literal["srgb", "linear"]]
    uv_set: NotRequired[Annotated[int, within(0, 7)]]
    offset: NotRequired[_Pair]
    rotation_rad: NotRequired[_Number]
    scale: NotRequired[_Pair]
    wrap: NotRequired[
        Annotated[list[Literal["repeat", "mirror", "clamp"]], Field(min_length=2, max_length=2)]
    ]
    invert: NotRequired[bool]
    green_up: NotRequired[bool]
    strength: NotRequired[_Number]
    space: NotRequired[Space | Literal[""]]  # type: ignore[valid-type]
    curve: NotRequired[Literal["linear", "squared", "exponent", "scaled"]]
    curve_top: NotRequired[_Number]
    floor: NotRequired[_Number]
    stretch: NotRequired[Annotated[float, Field(gt=1e-4, lt=1e4)]]


@with_config(_CLOSED)
class LayerValue(TypedDict):
    """An image laid over an input, see :class:`trasloco.scene.model.Layer`."""

    texture: TextureValue
    factor: NotRequired[list[_Share] | None]
    mask: NotRequired[TextureValue | None]
    blend: NotRequired[Literal[BLENDS]]  # type: ignore[valid-type]
    weight: NotRequired[Annotated[float, Field(ge=0, le=1)]]
    bounded: NotRequired[bool]


@with_config(_CLOSED)
class InputValue(TypedDict):
    """A whole input; a factor of null is endless, as an attenuation distance may be."""

    factor: list[float | None]
    vertex_color: NotRequired[bool]
    texture: NotRequired[TextureValue | None]
    layers: NotRequired[Annotated[list[LayerValue], Field(max_length=MOST_LAYERS)]]


@with_config(_CLOSED)
class ImageChoice(TypedDict):
    """An image, the channels of it that are read, and whether they are inverted."""

    image: Id
    channels: NotRequired[Channels | None]
    invert: NotRequired[bool]


class OfAnImage(Kind):
    """Something about an input's image: without one there is nothing to decide."""

    def lacks(self, scene: Scene) -> tuple[str, str] | None:
        material, _, name = self.target.rpartition("/")
        given = scene.materials[material].inputs.get(name) if material in scene.materials else None
        return (
            None
            if given is not None and (given.texture is not None or given.layers)
            else ("This input has no image.", "Choose an image for it first.")
        )


class InputImage(
    Kind,
    of=("input",),
    does={Stage.VALUES: materials.input_image},
    look=True,
    wants="the id of an image, with its channel, or nothing",
):
    """Another image, or none."""

    field: Literal["image"]
    value: Id | ImageChoice | None

    def words(self) -> str:
        return "another image" if self.value else "no image"


class WholeInput(
    Kind,
    of=("input",),
    does={Stage.VALUES: copied_inputs.whole_input},
    look=True,
    wants="an input as it was copied, or nothing",
):
    """Everything about an input, as it was copied."""

    field: Literal["input"]
    value: InputValue | None

    def words(self) -> str:
        return "taken over from another input" if self.value else "taken away"


class Encoding(OfAnImage, of=("input",), does={Stage.VALUES: materials.texture_space}, look=True):
    """The colour space its texels are stored in."""

    field: Literal["encoding"]
    value: Space  # type: ignore[valid-type]

    def words(self) -> str:
        return {"srgb": "read as colour", "linear": "read as data"}.get(
            str(self.value), f"read as {str(self.value).replace('_', ' ')}"
        )


class PlacedLike(
    OfAnImage,
    of=("input",),
    does={Stage.VALUES: materials.placed_like},
    look=True,
    wants="the name of another input of the material",
):
    """Its image lies as another input's does."""

    field: Literal["placed_like"]
    value: Literal[tuple(INPUTS)]  # type: ignore[valid-type]

    def words(self) -> str:
        return f"placed like {INPUTS[self.value].label.lower()}"


class Strength(
    OfAnImage,
    of=("input",),
    does={Stage.VALUES: materials.texture_field("strength", float), Stage.RELIEF: inventing.depth},
    look=True,
):
    """Normal scale, occlusion strength, or depth of relief as a share of one repeat."""

    field: Literal["strength"]
    value: Annotated[float, within(0, 100)]

    def words(self) -> str:
        return f"strength {self.value:g}"


class GreenUp(
    OfAnImage,
    of=("input",),
    does={Stage.VALUES: materials.texture_field("green_up", bool)},
    look=True,
    says=("green points up", "green points down"),
):
    """Which way the green of a normal map points."""

    field: Literal["green_up"]
    value: bool


class Invert(
    OfAnImage,
    of=("input",),
    does={Stage.VALUES: materials.texture_field("invert", bool)},
    look=True,
    says=("read inverted", "read as it is"),
):
    """Whether texels are read as one minus themselves."""

    field: Literal["invert"]
    value: bool


class Factor(
    Kind,
    of=("input",),
    does={Stage.VALUES: materials.input_factor},
    look=True,
    wants="one to four finite numbers",
):
    """The number or colour that multiplies the image, or stands alone."""

    field: Literal["factor"]
    value: float | Annotated[list[float], Field(min_length=1, max_length=4)]

    def words(self) -> str:
        return "set to " + (
            " ".join(f"{n:g}" for n in self.value) if isinstance(self.value, list) else f"{self.value:g}"
        )


class FactorLike(
    Kind,
    of=("input",),
    does={Stage.LAYERS: materials.factor_like},
    look=True,
    wants="another material's input to take the value from, or nothing",
):
    """The same value as another input has."""

    field: Literal["factor_like"]
    value: Annotated[str, Field(pattern="/", max_length=1000)] | None

    def words(self) -> str:
        return (
            f"the same value as {self.value.partition(':')[2].replace('/', ', ').replace('_', ' ')}"
            if self.value
            else "a value of its own"
        )

    def names_something(self, scene: Scene) -> bool:
        return self.value is None or self.value.rpartition("/")[0] in scene.materials


class Layers(
    Kind,
    of=("input",),
    does={Stage.LAYERS: materials.layers},
    look=True,
    wants=f"a list of at most {MOST_LAYERS} layers, each with an image, a blend and a weight from 0 to 1",
):
    """Images laid over it, one on another."""

    field: Literal["layers"]
    value: Annotated[list[LayerValue], Field(max_length=MOST_LAYERS)]

    def words(self) -> str:
        return (
            f"{len(self.value)} layer{'s' if len(self.value) > 1 else ''} over it"
            if self.value
            else "no layers"
        )
