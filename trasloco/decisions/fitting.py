"""The nearest look that was taken for a destination that lacks what a material has."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind
from trasloco.decisions.values import Name
from trasloco.inputs.table import INPUTS

_CLOSED = ConfigDict(strict=True, extra="forbid", allow_inf_nan=False)
_Numbers = Annotated[list[Annotated[float, Field(ge=-10, le=10)]], Field(min_length=1, max_length=3)]


@with_config(_CLOSED)
class ChangeValue(TypedDict):
    """Gain x what was given + offset; where nothing lies under it the offset is its number."""

    gain: _Numbers
    offset: _Numbers


@with_config(_CLOSED)
class FittedValue(TypedDict):
    """What becomes of each input for one destination, and what the material was then."""

    destination: Name
    holds_for: Annotated[str, Field(pattern=r"^[0-9a-f]{16}$")]
    covers: Annotated[list[Literal[tuple(INPUTS)]], Field(max_length=40)]  # type: ignore[valid-type]
    inputs: Annotated[dict[Literal[tuple(INPUTS)], ChangeValue], Field(max_length=40)]  # type: ignore[valid-type]


def _as_long_as_they_are(value: FittedValue) -> FittedValue:
    for name, change in value["inputs"].items():
        row = INPUTS[name]
        if row.holds == "vector" or name == "height":
            raise ValueError(f"{row.label.lower()} is relief and cannot be fitted")
        if {len(change["gain"]), len(change["offset"])} != {row.channels}:
            raise ValueError(f"{row.label.lower()} has {row.channels} channels")
    return value


class FittedLook(
    Kind,
    of=("material",),
    read_by=("plan",),
    wants="a fit as it was measured, or nothing",
):
    """The destination's inputs as they come nearest to the material's look, or nothing for copied numbers."""

    field: Literal["fitted"]
    value: Annotated[FittedValue, AfterValidator(_as_long_as_they_are)] | None

    def words(self) -> str:
        if not self.value:
            return "copied as it is"
        labels = ", ".join(INPUTS[name].label.lower() for name in self.value["inputs"])
        return f"fitted for {self.value['destination']}: {labels or 'nothing changes'}"
