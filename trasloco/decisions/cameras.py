"""Cameras: how they see, where they stand, and those that nobody sent."""

from __future__ import annotations

import math
from typing import Annotated, Literal, NotRequired

from pydantic import ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Name, Place, Shift, within
from trasloco.mends import cameras, materials


@with_config(ConfigDict(strict=True, extra="forbid", allow_inf_nan=False))
class Shot(TypedDict):
    """Where a camera stands, the angle it sees, and how far its frame lies right of and below the middle, in
    shares of it; of one that nobody sent its name and frame as well.
    """

    matrix: Place
    yfov_rad: Annotated[float, Field(ge=0.01, le=3)]
    name: NotRequired[Name]
    aspect: NotRequired[Annotated[float, Field(ge=0.05, le=20)] | None]
    shift: NotRequired[Shift]


class Stands(
    Kind,
    of=("camera",),
    does={Stage.LAMPS_ADDED: cameras.made, Stage.LAMPS_STAND: cameras.stands},
    founds="camera:",
    wants="16 numbers from camera to world and an angle in radians, or nothing",
):
    """Where it stands; one that did not come along is made."""

    field: Literal["shot"]
    value: Shot | None

    def words(self) -> str:
        if self.value is None:
            return "where it came"
        made = self.value.get("name")
        return f"a camera made, called {made}" if made else "put where the view stood"


class FocusM(Kind, of=("camera",), does={Stage.VALUES: materials.camera_field("focus_m")}):
    """How far away it is sharp."""

    field: Literal["focus_m"]
    value: Annotated[float, within(1e-4, 1e6, "metres")] | None

    def words(self) -> str:
        return f"in focus at {self.value:g} m" if self.value else "all in focus"


class FStop(Kind, of=("camera",), does={Stage.VALUES: materials.camera_field("f_stop")}):
    """How far its lens is closed."""

    field: Literal["f_stop"]
    value: Annotated[float, within(0.1, 256, "an f-stop")] | None

    def words(self) -> str:
        return f"f/{self.value:g}" if self.value else "no f-stop"


class YfovDeg(Kind, of=("camera",), does={Stage.VALUES: materials.camera_field("yfov_rad", math.radians)}):
    """How high an angle it sees."""

    field: Literal["yfov_deg"]
    value: Annotated[float, within(0.5, 175, "degrees")]

    def words(self) -> str:
        return f"{self.value:g}° high"


class Aspect(Kind, of=("camera",), does={Stage.VALUES: materials.camera_field("aspect")}):
    """Its width over its height."""

    field: Literal["aspect"]
    value: Annotated[float, within(0.05, 20, "width over height")] | None

    def words(self) -> str:
        return f"{self.value:g} times as wide as high" if self.value else "any shape"
