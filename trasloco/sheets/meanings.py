"""What was measured of a program and no other line of its sheet says: how it takes numbers, and how it shows
light.
"""

from __future__ import annotations

import itertools
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator


class ToneCurve(BaseModel):
    """How light is shown: display light (0 to 1, linear) over stops, log2 of light against middle grey.

    ``by`` is what goes through it; ``formula`` the open curve that explains it, if one does.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    stops: list[float] = Field(default_factory=list, max_length=64)
    shown: list[float] = Field(default_factory=list, max_length=64)
    by: Literal["channel", "luminance"] = "channel"
    formula: str = Field(default="", max_length=80)

    @model_validator(mode="after")
    def _rises(self) -> ToneCurve:
        if len(self.stops) != len(self.shown):
            raise ValueError("a curve has as many values as stops")
        for values in (self.stops, self.shown):
            if any(b <= a for a, b in itertools.pairwise(values)):
                raise ValueError("a curve rises from step to step")
        return self


class Meanings(BaseModel):
    """How a program takes what files say.

    ``roughness_power``: roughness is raised to it. ``strengths``: how many times as strong lamps of a kind come in
    against what glows, and the surroundings. ``turn_deg``, ``mirrored``: how it lays the surroundings.
    ``readings``: by the key of a line of the gauge, how it is taken otherwise than the files say.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    roughness_power: float = Field(default=1.0, gt=0.1, lt=10)
    strengths: dict[Literal["sun", "point", "spot", "rectangle", "disc", "surroundings"], float] = Field(
        default_factory=dict
    )
    turn_deg: float = Field(default=0.0, ge=-360, le=360)
    mirrored: bool = False
    readings: dict[str, str] = Field(default_factory=dict)
    curve: ToneCurve = ToneCurve()
