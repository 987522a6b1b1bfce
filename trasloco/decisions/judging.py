"""How a move is judged: what is accepted, what is meant, from where and by which limits it is proved."""

from __future__ import annotations

from typing import Annotated, Literal, NotRequired

from pydantic import AfterValidator, ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind
from trasloco.decisions.values import Id, Place, Shift, above_zero, within


def _rising(limits: list[float]) -> list[float]:
    if not limits[0] < limits[1] < limits[2]:
        raise ValueError("limits rise")
    return limits


@with_config(ConfigDict(strict=True, extra="forbid", allow_inf_nan=False))
class KeptView(TypedDict):
    """A view: 16 numbers row by row from camera to world, its angle in radians, and where it is asked for a
    lens, a moment and surroundings. ``shift`` is how far its frame lies right of and below the middle that
    the lens looks at, as shares of its width and height; ``aspect`` how many times as wide as high it is.
    """

    name: Annotated[str, Field(min_length=1, max_length=80, pattern=r"\S")]
    matrix: Place
    yfov_rad: Annotated[float, Field(ge=0.01, le=3)]
    lens_radius_m: NotRequired[Annotated[float, Field(ge=0)]]
    focus_m: NotRequired[Annotated[float, Field(gt=0)]]
    clip: NotRequired[Id]
    time_s: NotRequired[Annotated[float, Field(ge=0)]]
    environment: NotRequired[Id]
    shift: NotRequired[Shift]
    aspect: NotRequired[Annotated[float, Field(ge=0.05, le=20)]]


class Accept(Kind, read_by=("states",)):
    """A finding, or a cause, left as it is. The target is its id."""

    field: Literal["accept"]
    value: bool

    def words(self) -> str:
        return f"{self.target.partition(':')[0].replace('_', ' ')} {'accepted' if self.value else 'opened again'}"


class Meant(
    Kind, read_by=("states",), says=("arrives otherwise, and is meant to", "is to arrive as promised")
):
    """A difference that nothing explains, and that is meant. The target is the entry of the accounts."""

    field: Literal["meant"]
    value: bool


class Ev100(Kind, of=("proof",), read_by=("proof",)):
    """The exposure that is proved at."""

    field: Literal["ev100"]
    value: Annotated[float, within(-20, 40, "an exposure value")] | None

    def words(self) -> str:
        return f"exposure {self.value:g} EV" if self.value is not None else "automatic exposure"


class Views(
    Kind,
    of=("proof",),
    read_by=("proof",),
    wants="a list of at most 24 views, each with a name, 16 numbers from camera to world, and an angle in radians",
):
    """Views that were framed and kept."""

    field: Literal["views"]
    value: Annotated[list[KeptView], Field(max_length=24)]

    def words(self) -> str:
        return (
            f"{len(self.value)} view{'s' if len(self.value) > 1 else ''} kept for proofs"
            if self.value
            else "no views kept"
        )


class Limits(Kind, of=("proof",), read_by=("proof",), wants="three rising numbers above zero, or nothing"):
    """From which ΔE on a difference is hardly seen, seen when compared, seen at once."""

    field: Literal["limits"]
    value: (
        Annotated[
            list[Annotated[float, above_zero(100)]],
            Field(min_length=3, max_length=3),
            AfterValidator(_rising),
        ]
        | None
    )

    def words(self) -> str:
        return "limits at ΔE " + ", ".join(f"{x:g}" for x in self.value) if self.value else "the usual limits"


class Effects(Kind, of=("proof",), read_by=("proof",), wants="a list of names of after-effects"):
    """After-effects of the destination that are simulated."""

    field: Literal["effects"]
    value: list[Id]

    def words(self) -> str:
        return "simulated: " + ", ".join(self.value) if self.value else "after-effects judged as switched off"
