"""A decision of our own."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import within
from trasloco.scene.model import Scene


def dim(scene: Scene, target: str, value: Any) -> Scene:
    light = scene.lights[target]
    made = replace(light, intensity=light.intensity * value)
    return replace(scene, lights={**scene.lights, target: made})


class Dimmed(Kind, of=("light",), does={Stage.VALUES: dim}):
    """How far a lamp is turned down."""

    field: Literal["dimmed"]
    value: Annotated[float, within(0, 1, "of its strength")]

    def words(self) -> str:
        return f"turned down to {self.value:.0%}"
