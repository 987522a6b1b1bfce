"""What lights the scene from all round, and what stands behind it."""

from __future__ import annotations

import math
from datetime import date
from typing import Annotated, Literal, NotRequired

from pydantic import AfterValidator, ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Amount, Color, Id, known_as, within
from trasloco.mends import lamps, materials, skies
from trasloco.scene.model import Scene

_CLOSED = ConfigDict(strict=True, extra="forbid", allow_inf_nan=False)
_Nit = Annotated[float, within(0, 1e9, "nit")]


def _is_day(text: str) -> str:
    date.fromisoformat(text)
    return text


@with_config(_CLOSED)
class Daylight(TypedDict):
    """A place (degrees), a day as YYYY-MM-DD, an hour of the clock with its offset from UTC, and the haze
    (Preetham's turbidity).
    """

    latitude: Annotated[float, Field(ge=-90, le=90)]
    longitude: Annotated[float, Field(ge=-180, le=180)]
    day: Annotated[str, AfterValidator(_is_day)]
    hour: Annotated[float, Field(ge=0, le=24)]
    offset_h: NotRequired[Annotated[float, Field(ge=-14, le=14)]]
    haze: NotRequired[Annotated[float, Field(ge=1.7, le=10)]]


@with_config(_CLOSED)
class Panel(TypedDict, total=False):
    """A soft light painted into the surroundings: where, how large (degrees), how soft its edge is, how
    bright.
    """

    azimuth_deg: Annotated[float, within(-360, 360, "degrees")]
    height_deg: Annotated[float, within(-90, 90, "degrees")]
    width_deg: Annotated[float, within(0.5, 170, "degrees")]
    tall_deg: Annotated[float, within(0.5, 170, "degrees")]
    soft: Annotated[float, within(0, 1)]
    nit: _Nit
    shape: Literal["panel", "disc"]
    color: Color


@with_config(_CLOSED)
class BackdropValue(TypedDict, total=False):
    """What is seen behind the subject: a colour and its luminance, or an image and how it is turned."""

    color: Color
    image: Id
    nit: _Nit
    turn_rad: Annotated[float, Field(ge=-100, le=100)]


class Picture(
    Kind,
    of=("environment",),
    does={Stage.CHOSEN: skies.picture},
    wants="the id of a picture, an empty one for nothing, or none for what was received",
):
    """Which picture lights the scene."""

    field: Literal["picture"]
    value: Annotated[str, Field(max_length=1000)] | None

    def words(self) -> str:
        if self.value is None:
            return "lit as received"
        return f"lit by {known_as(self.value)}" if self.value else "lit by no picture"

    def names_something(self, scene: Scene) -> bool:
        return not self.value or self.value in scene.images


class TurnRad(
    Kind,
    of=("environment",),
    does={Stage.SKY: materials.environment_field("turn_rad")},
    wants="an angle in radians",
):
    """How the surroundings are turned about the vertical."""

    field: Literal["turn_rad"]
    value: float

    def words(self) -> str:
        return f"turned by {math.degrees(self.value):.0f}°"


class Level(
    Kind,
    of=("environment",),
    mixes=True,
    does={Stage.SKY: materials.environment_field("level")},
    wants="a number that is not negative",
):
    """How bright they are against what their picture says."""

    field: Literal["level"]
    value: Amount

    def words(self) -> str:
        return f"level {self.value:g}"


class TiltRad(Kind, of=("environment",), does={Stage.SKY_TURNED: skies.tilt}, wants="an angle in radians"):
    """How they are tilted."""

    field: Literal["tilt_rad"]
    value: float

    def words(self) -> str:
        return f"tilted by {math.degrees(self.value):.0f}°"


class Tint(
    Kind,
    of=("environment",),
    does={Stage.SKY_TURNED: skies.tint},
    wants="three numbers that are not negative, or nothing",
):
    """A colour over all of them."""

    field: Literal["tint"]
    value: Annotated[list[Annotated[float, Field(ge=0, le=1e9)]], Field(min_length=3, max_length=3)] | None

    def words(self) -> str:
        return "tinted" if self.value else "not tinted"


class DaylightSky(
    Kind,
    of=("environment",),
    does={Stage.DAYLIGHT: skies.daylight},
    wants="a latitude, a longitude, a day as YYYY-MM-DD and an hour, or nothing",
):
    """A sky of a place and an hour."""

    field: Literal["daylight"]
    value: Daylight | None

    def words(self) -> str:
        v = self.value
        return (
            f"daylight of {v['day']}, {int(v['hour'])}:{int(v['hour'] % 1 * 60):02}, at {v['latitude']:g}° {v['longitude']:g}°"
            if v
            else "no daylight sky"
        )


class SunTakenOut(
    Kind,
    of=("environment",),
    does={Stage.SUN: skies.sun_out},
    says=("its sun taken out into a light", "its sun left in it"),
):
    """Whether the sun in their picture becomes a light of its own."""

    field: Literal["sun_out"]
    value: bool


class Panels(
    Kind,
    of=("environment",),
    does={Stage.LAMPS_ADDED: skies.panels},
    wants="a list of at most 24 panels with their places, sizes and luminance, or nothing",
):
    """Soft lights painted into them."""

    field: Literal["panels"]
    value: Annotated[list[Panel], Field(max_length=24)] | None

    def words(self) -> str:
        return (
            f"{len(self.value)} soft panel{'s' if len(self.value) > 1 else ''}" if self.value else "no panels"
        )


class Backdrop(
    Kind,
    of=("environment",),
    does={Stage.BACKDROP: lamps.backdrop},
    wants="a colour and its nit, an image's id, or nothing",
):
    """What is seen behind the subject and lights nothing."""

    field: Literal["backdrop"]
    value: BackdropValue | None

    def words(self) -> str:
        if self.value is None:
            return "its own picture stands behind the subject"
        return "before another picture" if self.value.get("image") else "before a plain colour"
