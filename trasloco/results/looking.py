"""What a page asks about the reference: its surroundings, sets of images that wait, paint, collision shapes,
single texels.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from trasloco.at_rest import Bytes
from trasloco.errors import Refused
from trasloco.fit.families.lying import Lying, lying
from trasloco.fit.families.sets import Proposal, looked_at, proposals, set_of_image, waiting
from trasloco.fit.geometry.collision import collision_cost
from trasloco.inventory.in_view import Eye, faces_in, faces_under
from trasloco.inventory.media import Texel, media_files, texel_at
from trasloco.inventory.paint import paint_of
from trasloco.light.surroundings import Surroundings, surroundings_of
from trasloco.mends.colors import loss_as_vertex_colors
from trasloco.mends.settling import decided
from trasloco.meshes.picking import How as How
from trasloco.meshes.picking import found_from
from trasloco.results.name import named
from trasloco.results.pointed import stand_at, world_of
from trasloco.results.route import Route
from trasloco.scene.model import Scene

_MADE = ("trasloco.results.looking",)


@dataclass(frozen=True)
class PaintSeen:
    """What the vertex colours of a material are, with the evidence, what was chosen for them, and what its
    image would lose as vertex colours (ΔE).
    """

    kind: str | None
    sure: float
    evidence: str
    flat: bool
    loss_as_colors: float | None
    chosen: str | None = None


def surroundings(route: Route) -> Surroundings | None:
    """What lights the reference from all round."""
    made: Surroundings | None = route.store.get_or_make(
        named("surroundings", _MADE, route.reference_name).key,
        lambda: surroundings_of(route.reference(), route.received().scene),
    )
    return made


def faces_found(route: Route, part: str, faces: Sequence[int], how: How, angle_deg: float) -> list[int]:
    """Faces that belong to picked ones of a part, numbered as received.

    Raises:
        Refused: there is no such part.
    """
    scene = route.as_received()
    node = scene.nodes.get(part)
    if node is None or node.mesh is None:
        raise Refused("There is no such part.", part, "Reload the page.")
    return found_from(scene.meshes[node.mesh], faces, how, angle_deg)


def eye_of(matrix: Sequence[float], yfov_rad: float, aspect: float) -> Eye:
    """A place to look from, by 16 numbers row by row from camera to world.

    Raises:
        Refused: they place nothing.
    """
    return Eye(stand_at(matrix), yfov_rad, aspect)


@dataclass(frozen=True)
class Drawn:
    """What was drawn over a picture, in device coordinates (-1 to 1, y up): a rectangle by two corners, or
    (``reach`` above 0, its radius in half heights) the way of a brush.

    ``through``: what is hidden too.
    """

    points: Sequence[Sequence[float]]
    reach: float = 0.0
    through: bool = False


def faces_drawn(route: Route, eye: Eye, drawn: Drawn, parts: Sequence[str]) -> dict[str, list[int]]:
    """Faces of some parts (or of all, where none are named) under what was drawn, by part, numbered as
    received.
    """
    world = world_of(route, as_received=True)
    if drawn.reach > 0:
        found = faces_under(world, eye, drawn.points, drawn.reach, drawn.through)
    else:
        corners = [[p[k] for p in drawn.points] for k in range(2)]
        found = faces_in(world, eye, [min(c) for c in corners], [max(c) for c in corners], drawn.through)
    made: dict[str, list[int]] = {}
    for number, part in enumerate(world.part_ids):
        own = found[world.faces_of(number)]
        if own.any() and (not parts or part in parts):
            made[part] = [int(k) for k in own.nonzero()[0]]
    return made


def beside(route: Route) -> Scene:
    """The reference with every image of the delivery, read by a material or not."""
    scene = route.reference()
    return replace(scene, images={**route.received().scene.images, **scene.images})


def families(route: Route) -> tuple[list[Proposal], Lying]:
    """Sets of images proposed for slots, and what is left of the images that no material reads."""

    def make() -> tuple[list[Proposal], Lying]:
        scene = beside(route)
        loose = waiting(scene)
        seen = looked_at(loose)
        offered = proposals(scene, seen)
        rest = lying(scene, loose, seen, offered)
        return [*offered, *rest.proposals], rest

    made: tuple[list[Proposal], Lying] = route.store.get_or_make(
        named("families", _MADE, route.reference_name).key, make
    )
    return made


def siblings(route: Route, material: str, image: str) -> Proposal | None:
    """What else the set of an image would fill in a material."""
    scene = beside(route)
    return set_of_image(scene, material, image, looked_at(waiting(scene)))


def paint_seen(route: Route, material: str) -> PaintSeen:
    """What the vertex colours of a material are."""
    scene = route.reference()
    if material not in scene.materials:
        raise Refused("There is no such material.", material, "Reload the page.")

    def make() -> PaintSeen:
        found = paint_of(scene, material)
        base = scene.materials[material].inputs.get("base_color")
        image = (
            scene.images.get(base.texture.image) if base is not None and base.texture is not None else None
        )
        loss = loss_as_vertex_colors(scene, material) if image is not None and image.usable else None
        return PaintSeen(
            found.kind if found else None,
            found.sure if found else 0.0,
            found.evidence if found else "",
            bool(found and found.flat),
            loss,
        )

    made: PaintSeen = route.store.get_or_make(named("paint", _MADE, route.reference_name, material).key, make)
    chosen = decided(route.decisions, material, "paint")
    return replace(made, chosen=chosen.value if chosen is not None else None)


def collision_seen(route: Route, part: str) -> list[dict[str, Any]]:
    """What each shape to bump into would cost for a part."""
    scene = route.settled()
    if part not in scene.nodes or scene.nodes[part].mesh is None:
        raise Refused("There is no such part.", part, "Reload the page.")
    return [{"shape": shape, **asdict(cost)} for shape, cost in collision_cost(scene, part).items()]


def texel_seen(route: Route, image_id: str, u: float, v: float) -> Texel:
    """The exact colour of an image at a place."""
    image = route.received().scene.images.get(image_id)
    if image is None or not image.usable:
        raise Refused("There is no picture of it.", image_id, "Relink the image.")
    return texel_at(image, u, v)


def media_of(route: Route) -> dict[str, Bytes]:
    """All images of the delivery as files, embedded ones too, by names of their own."""
    return media_files(route.received().scene)
