"""Faces, normals, tangents and UVs of a part."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Id, Metres, Whole, known_as, within
from trasloco.mends import covering, diagonals, faces, slots


class TurnFaces(
    Kind, of=("part",), does={Stage.AS_RECEIVED: faces.turn_faces}, wants="true, or a list of piece numbers"
):
    """All pieces turned round, or those numbered."""

    field: Literal["turn_faces"]
    value: bool | list[Whole]

    def words(self) -> str:
        return "all faces turned" if isinstance(self.value, bool) else f"{len(self.value)} pieces turned"


class TurnPicked(
    Kind,
    of=("part",),
    does={Stage.FACES_TURNED: faces.turn_picked},
    adds=True,
    wants="face numbers as received",
):
    """Faces picked by hand turned round; picked twice they look as they did."""

    field: Literal["turn_picked"]
    value: list[Whole]

    def words(self) -> str:
        return f"{len(self.value)} picked faces turned" if self.value else "no picked faces turned"


class CoverHoles(
    Kind,
    of=("part",),
    does={Stage.FACES_TURNED: covering.cover_holes, Stage.AGREED: covering.join_covers},
    adds=True,
    wants="face numbers as received, one beside each opening",
):
    """Openings beside some faces are covered."""

    field: Literal["cover_holes"]
    value: list[Whole]

    def words(self) -> str:
        count = len(self.value)
        return f"{count} opening{'s' if count > 1 else ''} covered" if count else "no opening covered"


class UnifyFaces(
    Kind, of=("part",), does={Stage.AGREED: faces.unify_faces}, says="neighbouring faces made to agree"
):
    """Neighbours that look to opposite sides are made to agree."""

    field: Literal["unify_faces"]
    value: bool


class VertexColor(
    Kind,
    of=("part",),
    does={Stage.AGREED: faces.strip_vertex_color},
    says=("vertex colours kept", "vertex colours removed"),
):
    """Whether vertex colours stay."""

    field: Literal["vertex_color"]
    value: bool


class NewIdColors(Kind, of=("part",), does={Stage.AGREED: slots.new_id_colors}, says="new ID colours"):
    """ID colours that everybody can tell apart."""

    field: Literal["new_id_colors"]
    value: bool


class EvenWeights(
    Kind, of=("part",), does={Stage.AGREED: faces.even_weights}, says="skin weights evened out"
):
    """Weights of joints that add up to one."""

    field: Literal["even_weights"]
    value: bool


class WithoutSlots(
    Kind, of=("part",), does={Stage.DROPPED: faces.without_slots}, wants="a list of material ids"
):
    """What wears some materials does not come along: leaves without their stem."""

    field: Literal["without_slots"]
    value: Annotated[list[Id], Field(max_length=1000)]

    def words(self) -> str:
        return (
            f"without {', '.join(known_as(one) for one in self.value)}"
            if self.value
            else "with all its slots"
        )


class DropDegenerate(
    Kind, of=("part",), does={Stage.DROPPED: faces.drop_degenerate}, says="faces without area dropped"
):
    """Faces without area go."""

    field: Literal["drop_degenerate"]
    value: bool


class DropDoubles(Kind, of=("part",), does={Stage.DROPPED: faces.drop_doubles}, says="doubled faces dropped"):
    """Faces that lie on others go."""

    field: Literal["drop_doubles"]
    value: bool


class Weld(Kind, of=("part",), does={Stage.DROPPED: faces.weld}):
    """Points nearer than this become one."""

    field: Literal["weld"]
    value: Annotated[float, within(0, 1, "metres")]

    def words(self) -> str:
        return f"welded within {self.value * 1000:g} mm"


class Diagonals(Kind, of=("part",), does={Stage.DROPPED: diagonals.diagonals}):
    """Which way quads are cut."""

    field: Literal["diagonals"]
    value: Literal["shorter", "flatter"] | None

    def words(self) -> str:
        return f"quads cut along the {self.value} diagonal" if self.value else "quads as they were cut"


class NormalsAngle(Kind, of=("part",), does={Stage.MADE_ANEW: faces.normals_angle}):
    """Normals made anew, hard where faces meet at a larger angle."""

    field: Literal["normals_angle"]
    value: Annotated[float, within(0, 180, "degrees")]

    def words(self) -> str:
        return f"normals made, hard above {self.value:g}°"


class DropTangents(
    Kind, of=("part",), does={Stage.MADE_ANEW: faces.drop_tangents}, says="tangents made anew"
):
    """Tangents that came along are left behind."""

    field: Literal["drop_tangents"]
    value: bool


class NearUvs(Kind, of=("part",), does={Stage.MADE_ANEW: faces.near_uvs}, says="UVs brought near the origin"):
    """Whole repeats taken off far UVs."""

    field: Literal["near_uvs"]
    value: bool


class MakeUvs(
    Kind,
    of=("part",),
    does={Stage.MADE_ANEW: faces.make_uvs},
    wants="true, or the number of a UV set from 0 to 3",
):
    """A UV set without overlaps."""

    field: Literal["make_uvs"]
    value: bool | Annotated[int, within(0, 3)]

    def words(self) -> str:
        return f"UV set {1 if isinstance(self.value, bool) else self.value + 1} made"


class BoxUvs(Kind, of=("part",), does={Stage.MADE_ANEW: faces.box_uvs}):
    """UVs projected from six sides, one repeat of the image over so many metres."""

    field: Literal["box_uvs"]
    value: Metres

    def words(self) -> str:
        return f"UVs by box projection, one repeat every {self.value:g} m"
