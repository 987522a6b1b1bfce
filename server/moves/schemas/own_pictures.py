"""One's own pictures beside the proof."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from server.moves.schemas.proof import Figure

Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e7, le=1e7)]


class PairIn(Schema):
    """A place on the model, in metres, and where it lies in the picture: pixels right of and below its
    corner.
    """

    place: Annotated[list[Finite], Field(min_length=3, max_length=3)]
    pixel: Annotated[list[Finite], Field(min_length=2, max_length=2)]


class OwnPictureIn(Schema):
    """What is said of a picture; what is not said stays."""

    of: Literal["reference", "arrival"] | None = None
    view: Annotated[str, Field(max_length=200)] | None = None
    curve: Annotated[str, Field(max_length=80)] | None = None
    pairs: Annotated[list[PairIn], Field(max_length=60)] | None = None


class FoundCameraOut(Schema):
    """A camera that was found: 16 numbers row by row from camera to world; ``shift`` is how far, as shares of
    width and height, the frame lies right of and below the middle that the lens looks at.
    """

    matrix: list[float]
    yfov_rad: float
    shift: list[float]
    bend: float
    rms_px: float
    off_px: list[float]
    doubtful: list[int]
    """Points, from 0, that lie much farther off than the others."""
    unsure_m: float


class OnMaterialOut(Schema):
    id: str
    name: str
    cover: float
    reference: Figure
    arrival: Figure


class HeldOut(Schema):
    """What came of holding it against both sides."""

    of: str
    curve: str
    stops: float
    width: int
    height: int
    how: Literal["points", "found", "view"]
    """Where its camera is from: pressed points, found by itself, or the view as it stands."""
    found_again: int
    off_px: float
    lies: bool
    """Whether the picture lies over the rendered ones."""
    scale: float
    """How much larger things are in it than in what was rendered, before it was laid over."""
    reference: Figure
    arrival: Figure
    between: float
    materials: list[OnMaterialOut]
    seconds: float


class AtOut(Schema):
    """How far the sides lay from it once."""

    at: str
    reference: float
    arrival: float


class DecidesOut(Schema):
    target: str
    field: str
    value: float | list[float] | dict[str, float | str | list[float] | None]


class MatchedLampOut(Schema):
    """What a lamp, the surroundings, or what glows must become for the scene to look like the picture."""

    name: str
    label: str
    target: str
    strength: float
    becomes: float
    gain: float
    unsure: float
    """Standard deviation of the gain."""
    share: float
    """Of the picture's light."""
    color: list[float]
    sure: bool
    doubt: str
    """Why its strength is not to be believed."""
    decisions: list[DecidesOut]
    new: bool = False
    """Whether it is not there yet; then what it takes away of the mean ΔE."""
    takes_away: float = 0.0


class LensMeasure(Schema):
    value: float
    unsure: float
    told: bool
    """Whether it differs from what no camera would do."""


class LensFocus(Schema):
    distance_m: float
    f_stop: float
    sensor_mm: float
    """How high the sensor is that the f-stop is for."""


class MatchedLensOut(Schema):
    """What the camera did: white (None where it is white), contrast as a power beyond one, by how much larger
    red and blue are shown than green, by which share its lens moves corners outwards (None where it moves
    none; taken out of the picture), focus where there is one, and the camera that would do it. ``after`` is the
    mean ΔE that is left with all of it done to the matched light; None where that brings nothing nearer.
    """

    white: list[float] | None
    contrast: LensMeasure
    red: LensMeasure
    blue: LensMeasure
    bend: float | None = None
    focus: LensFocus | None
    after: float | None = None
    camera: list[DecidesOut]


class MatchedOut(Schema):
    """The light that explains a picture, and what becomes of it in one press."""

    curve: str
    ev100: float
    before: float
    after: float
    lamps: list[MatchedLampOut]
    turned_deg: float | None
    exposure: DecidesOut
    decisions: list[DecidesOut]
    picture: str
    looked_for_new: bool = False
    lens: MatchedLensOut | None = None
    current: bool
    """Whether the scene is still as it was matched."""


class MatchIn(Schema):
    """How light is matched: colours of lamps too, the turn of the surroundings too, which lamp stays as it
    is, materials that do not count, and whether lamps are looked for that are not there.
    """

    colors: bool = False
    turn: bool = False
    anchor: Annotated[str, Field(max_length=200)] = ""
    leave_out: Annotated[list[str], Field(max_length=2000)] = []
    new_lamps: bool = False


class NumbersIn(Schema):
    """Which numbers of which material are found."""

    material: Annotated[str, Field(max_length=1000)]
    names: Annotated[list[Annotated[str, Field(max_length=40)]], Field(min_length=1, max_length=8)]


class FoundNumberOut(Schema):
    """A number as it is and as the picture has it; ``unsure`` is its standard deviation."""

    name: str
    label: str
    before: list[float]
    after: list[float]
    unsure: float
    sure: bool


class FoundNumbersOut(Schema):
    """What a picture says of a material, mean ΔE on it before and after, and what becomes of it in one press."""

    material: str
    name: str
    before: float
    after: float
    cover: float
    numbers: list[FoundNumberOut]
    decisions: list[DecidesOut]
    picture: str
    current: bool


class NamedNumber(Schema):
    name: str
    label: str


class OwnPictureOut(Schema):
    id: int
    name: str
    created: str
    of: Literal["reference", "arrival"]
    view: str
    curve: str
    width: int
    height: int
    shown: str
    """The picture as PNG, by its digest."""
    pairs: list[PairIn]
    camera: FoundCameraOut | None
    stands: FoundCameraOut | None
    """The camera that it was held by."""
    current: bool
    """Whether what was delivered since is the same."""
    held: HeldOut | None
    pictures: dict[str, str]
    over_time: list[AtOut]
    matched: MatchedOut | None
    numbers: list[FoundNumbersOut]


class OwnPicturesOut(Schema):
    pictures: list[OwnPictureOut]
    curves: list[str]
    least_points: int
    """So many places at least say where a camera stood."""
    inputs: list[NamedNumber]
    """Numbers of materials that a picture can tell."""


class OwnPixelOut(Schema):
    """One pixel of a picture and of both sides: codes on screen, light of the sides in nit, ΔE of each side
    from the picture.
    """

    x: int
    y: int
    mine: list[int]
    srgb: list[list[int]]
    linear: list[list[float]]
    delta_e: list[float]
