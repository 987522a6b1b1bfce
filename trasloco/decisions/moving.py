"""Motion: broken keys, a moment to freeze at, a pose from another model."""

from __future__ import annotations

from typing import Annotated, Literal, NotRequired

from pydantic import ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Id, Name
from trasloco.mends import places, poses
from trasloco.scene.model import Scene


@with_config(ConfigDict(strict=True, extra="forbid", allow_inf_nan=False))
class Moment(TypedDict):
    """A clip, and a time in it in seconds."""

    clip: Name
    time_s: NotRequired[float]


@with_config(ConfigDict(strict=True, extra="forbid"))
class PoseMap(TypedDict):
    """Another model by its mark, and which of its joints each joint of the rig is turned as."""

    model: Name
    joints: Annotated[dict[Id, Id], Field(min_length=1, max_length=10_000)]


class PoseFrom(
    Kind,
    of=("scene",),
    does={Stage.CHOSEN: poses.pose_from},
    wants="the mark of another model, or that with a map of joints",
):
    """Joints stand as in another model of the delivery."""

    field: Literal["pose_from"]
    value: Name | PoseMap

    def words(self) -> str:
        if isinstance(self.value, str):
            return f"pose of model {self.value}"
        count = len(self.value["joints"])
        return f"pose of model {self.value['model']}, {count} joint{'s' if count > 1 else ''} told apart"

    def names_something(self, scene: Scene) -> bool:
        mark = self.value if isinstance(self.value, str) else self.value["model"]
        return any(id.endswith(mark) for id in scene.nodes)


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
