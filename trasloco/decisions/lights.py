"""Lights: what they give, how large they are, where they stand."""

from __future__ import annotations

from typing import Annotated, Literal, NotRequired

from pydantic import AfterValidator, ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Amount, Color, Metres, Place, Triple, within
from trasloco.mends import lamps, materials
from trasloco.scene.model import Scene

_CLOSED = ConfigDict(strict=True, extra="forbid", allow_inf_nan=False)
_Round = Annotated[float, within(-360, 360, "degrees")]
_High = Annotated[float, within(-90, 90, "degrees")]
_Far = Annotated[float, within(1e-3, 1e6, "metres")]

LampKind = Literal["sun", "point", "spot", "rectangle", "disc"]


@with_config(_CLOSED)
class Standing(TypedDict, total=False):
    """Degrees round and above the subject, and metres from it."""

    azimuth_deg: _Round
    height_deg: _High
    distance_m: _Far


@with_config(_CLOSED)
class Lamp(Standing):
    """A light that is added."""

    kind: LampKind
    name: NotRequired[Annotated[str, Field(max_length=100)]]
    intensity: NotRequired[Annotated[float, Field(ge=0, le=1e9)]]
    width_m: NotRequired[Metres]
    height_m: NotRequired[Metres]


@with_config(_CLOSED)
class ConeValue(TypedDict):
    """Half angles of a spot in degrees."""

    inner_deg: Annotated[float, within(0, 90, "degrees")]
    outer_deg: Annotated[float, within(0.1, 90, "degrees")]


def _narrowing(cone: ConeValue) -> ConeValue:
    if cone["inner_deg"] > cone["outer_deg"]:
        raise ValueError("the inner angle is no wider than the outer one")
    return cone


def _shines(color: list[float]) -> list[float]:
    if max(color) <= 0:
        raise ValueError("a colour that shines")
    return color


class Sized(Kind):
    """A size, which only some kinds of light have."""

    def lacks(self, scene: Scene) -> tuple[str, str] | None:
        light = scene.lights.get(self.target)
        if light is not None and self.field in lamps.SIZES.get(light.kind, ()):
            return None
        return (
            "A light of this kind has no such size.",
            "Set the size that it has, or choose another kind of light.",
        )


class Enabled(Kind, of=("light",), does={Stage.VALUES: materials.light_field("enabled")}, says=("on", "off")):
    """Whether it is on."""

    field: Literal["enabled"]
    value: bool


class Intensity(
    Kind,
    of=("light",),
    mixes=True,
    does={Stage.VALUES: materials.light_field("intensity")},
    wants="a number that is not negative",
):
    """How strong it is, in the unit of its kind."""

    field: Literal["intensity"]
    value: Amount

    def words(self) -> str:
        return f"strength {self.value:g}"


class Kelvin(Kind, of=("light",), does={Stage.VALUES: materials.light_kelvin}):
    """Its colour as a temperature."""

    field: Literal["kelvin"]
    value: Annotated[float, within(1667, 25000, "kelvin")]

    def words(self) -> str:
        return f"{self.value:g} K"


class LampColor(
    Kind, of=("light",), does={Stage.VALUES: lamps.color}, wants="three numbers, not all of them zero"
):
    """Its colour, linear, at the strength it has: only what it is against its own brightness counts."""

    field: Literal["lamp_color"]
    value: Annotated[Color, AfterValidator(_shines)]

    def words(self) -> str:
        return "colour " + " ".join(f"{n:g}" for n in self.value)


class Cone(
    Kind,
    of=("light",),
    does={Stage.VALUES: lamps.cone},
    wants="half angles in degrees, the inner one no wider",
):
    """How wide a spot shines, and from where on it fades: half angles."""

    field: Literal["cone"]
    value: Annotated[ConeValue, AfterValidator(_narrowing)]

    def words(self) -> str:
        return f"a cone of {self.value['outer_deg']:g}°, fading from {self.value['inner_deg']:g}°"

    def lacks(self, scene: Scene) -> tuple[str, str] | None:
        light = scene.lights.get(self.target)
        if light is not None and light.kind == "spot":
            return None
        return ("Only a spot has a cone.", "Choose a spot, or add one.")


class LampPlace(
    Kind,
    of=("light",),
    does={Stage.LAMPS_STAND: lamps.placed},
    wants="16 numbers row by row, from the lamp to the world, or nothing",
):
    """Where exactly it is, and how it is turned; it shines along its -Z."""

    field: Literal["lamp_place"]
    value: Place | None

    def words(self) -> str:
        return "put into place" if self.value else "where it came"


class Aim(
    Kind, of=("light",), does={Stage.LAMPS_AIM: lamps.aim}, wants="a point of three metres, or nothing"
):
    """The point it looks at, wherever it is moved to."""

    field: Literal["aim"]
    value: Triple | None

    def words(self) -> str:
        return "aimed at " + " ".join(f"{n:g}" for n in self.value) if self.value else "aimed as it stood"


class Shadows(
    Kind,
    of=("light",),
    does={Stage.VALUES: materials.light_field("shadows")},
    says=("casts shadows", "casts no shadows"),
):
    """Whether it casts shadows."""

    field: Literal["shadows"]
    value: bool


class Opening(
    Kind,
    of=("light",),
    does={Stage.VALUES: lamps.opening},
    says=("an opening for the environment", "shines itself"),
):
    """Whether it is an opening through which the surroundings are sampled."""

    field: Literal["opening"]
    value: bool


class AngleDeg(Sized, of=("light",), does={Stage.VALUES: lamps.size("angle_deg")}):
    """How wide a sun is seen."""

    field: Literal["angle_deg"]
    value: Annotated[float, within(0, 90, "degrees")]

    def words(self) -> str:
        return f"seen {self.value:g}° wide"


class WidthM(Sized, of=("light",), does={Stage.VALUES: lamps.size("width_m")}):
    """A panel's width, a disc's diameter."""

    field: Literal["width_m"]
    value: Metres

    def words(self) -> str:
        return f"{self.value:g} m wide"


class HeightM(Sized, of=("light",), does={Stage.VALUES: lamps.size("height_m")}):
    """A panel's height."""

    field: Literal["height_m"]
    value: Metres

    def words(self) -> str:
        return f"{self.value:g} m high"


class RadiusM(Sized, of=("light",), does={Stage.VALUES: lamps.size("radius_m")}):
    """A ball's radius, 0 for a point."""

    field: Literal["radius_m"]
    value: Annotated[float, within(0, 1e4, "metres")]

    def words(self) -> str:
        return f"a ball of {self.value:g} m radius" if self.value else "a point"


class AddedLamp(
    Kind,
    of=("light",),
    does={Stage.LAMPS_ADDED: lamps.lamp, Stage.LAMPS_STAND: lamps.lamp_stands},
    founds="light:",
    wants="a kind of light with its strength, size and place in their ranges, or nothing",
):
    """A light that nobody sent."""

    field: Literal["lamp"]
    value: Lamp | None

    def words(self) -> str:
        return f"added, a {self.value['kind']}" if self.value else "taken away again"


class Shines(
    Kind, of=("group",), does={Stage.LAMPS_ADDED: lamps.shines}, wants="a kind of light, or nothing"
):
    """An empty place that holds a lamp again, and looks where it looks."""

    field: Literal["shines"]
    value: LampKind | None

    def words(self) -> str:
        return f"holds a {self.value} lamp" if self.value else "holds no lamp"


_STAND = {"distance_m": " m from the subject", "azimuth_deg": "° round", "height_deg": "° high"}


class Stand(
    Kind,
    of=("light",),
    does={Stage.LAMPS_STAND: lamps.stand},
    wants="degrees round and above the subject, and metres from it, or nothing",
):
    """Where it stands about the subject."""

    field: Literal["stand"]
    value: Annotated[Standing, Field(min_length=1)] | None

    def words(self) -> str:
        return (
            "placed at " + ", ".join(f"{n:g}{_STAND[key]}" for key, n in self.value.items())
            if self.value
            else "where it came"
        )
