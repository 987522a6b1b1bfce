"""Cameras."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import within
from trasloco.mends import materials


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
