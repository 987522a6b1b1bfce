"""Motion: broken keys, a moment to freeze at, a pose from another model."""

from __future__ import annotations

from typing import Literal, NotRequired

from pydantic import ConfigDict, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Name
from trasloco.mends import places
from trasloco.scene.model import Scene


@with_config(ConfigDict(strict=True, extra="forbid", allow_inf_nan=False))
class Moment(TypedDict):
    """A clip, and a time in it in seconds."""

    clip: Name
    time_s: NotRequired[float]


class PoseFrom(Kind, of=("scene",), does={Stage.CHOSEN: places.pose_from}, wants="the mark of another model"):
    """Joints stand as in another model of the delivery."""

    field: Literal["pose_from"]
    value: Name

    def words(self) -> str:
        return f"pose of model {self.value}"

    def names_something(self, scene: Scene) -> bool:
        return any(id.endswith(self.value) for id in scene.nodes)


class DropBrokenKeys(
    Kind, of=("clip",), does={Stage.AGREED: places.drop_broken_keys}, says="broken keys left out"
):
    """Keys that are no numbers, or out of order, go."""

    field: Literal["drop_broken_keys"]
    value: bool


class Freeze(Kind, of=("scene",), does={Stage.PLACES: places.freeze}, wants="a clip and a time in seconds"):
    """Everything stands as at a moment of a clip."""

    field: Literal["freeze"]
    value: Moment

    def words(self) -> str:
        return f"frozen at {self.value.get('time_s', 0):g} s"

    def names_something(self, scene: Scene) -> bool:
        return self.value["clip"] in scene.clips
