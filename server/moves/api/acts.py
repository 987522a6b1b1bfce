"""Presses that decide several things at once: the core says which."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router

from server.moves.api.asking import ready
from server.moves.api.deciding import take
from server.moves.schemas.deciding import (
    AnotherLamp,
    CameraHere,
    ChosenIds,
    CopyInputs,
    CoverBeside,
    Difference,
    Dress,
    FillFrame,
    FromShelf,
    Group,
    GroupMade,
    LeaveSlotOut,
    LightPlace,
    MakeMaterial,
    MoveTo,
    PressedOut,
    PressOn,
    RenameIn,
    SwapInputs,
    UseImage,
    Varied,
    VaryIn,
)
from server.moves.schemas.moves import MoveOut
from trasloco.results import acts, backdrops, grouping, lamp_acts, pressing
from trasloco.results.records import Decision

router = Router()


@router.post("/moves/{move_id}/copy-inputs", response=MoveOut)
def copy_inputs(request: HttpRequest, move_id: int, wanted: CopyInputs) -> Any:
    """A material's settings, all or some inputs, given to others; one batch of decisions."""
    made = acts.copying(ready(move_id), wanted.source, wanted.targets, wanted.inputs)
    return take(request, move_id, made)


@router.get("/moves/{move_id}/difference", response=Difference)
def difference(request: HttpRequest, move_id: int, first: str, second: str) -> Any:
    """How a material differs from another."""
    return acts.differing(ready(move_id), first, second)


@router.post("/moves/{move_id}/vary", response=Varied)
def vary(request: HttpRequest, move_id: int, wanted: VaryIn) -> Any:
    """The difference between two materials put on others; one batch of decisions."""
    made, left = acts.varying(ready(move_id), wanted.first, wanted.second, wanted.targets, wanted.amount)
    return {"move": take(request, move_id, made), "left": left}


@router.post("/moves/{move_id}/swap-inputs", response=MoveOut)
def swap_inputs(request: HttpRequest, move_id: int, wanted: SwapInputs) -> Any:
    made = acts.swapping(ready(move_id), wanted.material, wanted.first, wanted.second)
    return take(request, move_id, made)


@router.post("/moves/{move_id}/use-image", response=MoveOut)
def use_image(request: HttpRequest, move_id: int, wanted: UseImage) -> Any:
    """An image that waits, read by an input; what it wants beside it is decided with it."""
    made = acts.using_image(ready(move_id), wanted.target, wanted.image)
    besides = [Decision(d.target, d.field, d.value) for d in wanted.besides]
    return take(request, move_id, [*made, *besides])


@router.post("/moves/{move_id}/from-shelf", response=MoveOut)
def from_shelf(request: HttpRequest, move_id: int, wanted: list[FromShelf]) -> Any:
    """Materials of the library put on slots; one batch of decisions."""
    return take(request, move_id, acts.from_shelf(ready(move_id), [(one.slot, one.name) for one in wanted]))


@router.post("/moves/{move_id}/make-material", response=MoveOut)
def make_material(request: HttpRequest, move_id: int, wanted: MakeMaterial) -> Any:
    """A new material put on parts, groups or faces; one batch of decisions."""
    made = acts.making(
        ready(move_id), wanted.name.strip(), wanted.like, wanted.shelf, wanted.on, wanted.faces
    )
    return take(request, move_id, made)


@router.post("/moves/{move_id}/rename-preview", response=dict[str, str])
def rename_preview(request: HttpRequest, move_id: int, wanted: RenameIn) -> Any:
    """The names a pattern would give, nothing decided yet."""
    return acts.renaming(ready(move_id), wanted.ids, wanted.pattern, wanted.find)


@router.post("/moves/{move_id}/group", response=GroupMade)
def group(request: HttpRequest, move_id: int, wanted: Group) -> Any:
    """A new group around parts and groups; its id with the move."""
    id, made = grouping.grouping(ready(move_id), wanted.name.strip(), wanted.ids)
    return {"id": id, "move": take(request, move_id, made)}


@router.post("/moves/{move_id}/move-to", response=MoveOut)
def move_to(request: HttpRequest, move_id: int, wanted: MoveTo) -> Any:
    """Parts and groups put into a group, or into none."""
    return take(request, move_id, grouping.moving_to(ready(move_id), wanted.group, wanted.ids))


@router.post("/moves/{move_id}/ungroup", response=MoveOut)
def ungroup(request: HttpRequest, move_id: int, wanted: ChosenIds) -> Any:
    """Groups taken apart."""
    return take(request, move_id, grouping.ungrouping(ready(move_id), wanted.ids))


@router.post("/moves/{move_id}/leave-out", response=MoveOut)
def leave_out(request: HttpRequest, move_id: int, wanted: ChosenIds) -> Any:
    """Parts and whole groups left out."""
    return take(request, move_id, grouping.leaving_out(ready(move_id), wanted.ids))


@router.post("/moves/{move_id}/leave-slot-out", response=MoveOut)
def leave_slot_out(request: HttpRequest, move_id: int, wanted: LeaveSlotOut) -> Any:
    """One slot of parts and whole groups left out, or taken along again."""
    made = grouping.leaving_slot_out(ready(move_id), wanted.ids, wanted.material, wanted.back)
    return take(request, move_id, made)


@router.post("/moves/{move_id}/take-along", response=MoveOut)
def take_along(request: HttpRequest, move_id: int, wanted: ChosenIds) -> Any:
    """Parts and whole groups taken along again."""
    return take(request, move_id, grouping.taking_along(ready(move_id), wanted.ids))


@router.post("/moves/{move_id}/dress", response=MoveOut)
def dress(request: HttpRequest, move_id: int, wanted: Dress) -> Any:
    """A material put on parts and groups."""
    made = grouping.dressing(ready(move_id), wanted.material, wanted.ids, wanted.instead_of)
    return take(request, move_id, made)


@router.post("/moves/{move_id}/cover-holes", response=MoveOut)
def cover_holes(request: HttpRequest, move_id: int, wanted: CoverBeside) -> Any:
    """Openings beside picked faces covered."""
    return take(request, move_id, acts.covering(ready(move_id), wanted.faces))


@router.post("/moves/{move_id}/camera-here", response=MoveOut)
def camera_here(request: HttpRequest, move_id: int, wanted: CameraHere) -> Any:
    """A camera put where one stands, or a new one made there."""
    made = acts.camera_here(
        ready(move_id),
        wanted.camera,
        wanted.name.strip(),
        wanted.matrix,
        wanted.yfov_rad,
        wanted.aspect,
        (wanted.shift[0], wanted.shift[1]),
    )
    return take(request, move_id, made)


@router.post("/moves/{move_id}/another-lamp", response=MoveOut)
def another_lamp(request: HttpRequest, move_id: int, wanted: AnotherLamp) -> Any:
    """A lamp like another, beside it or mirrored."""
    return take(request, move_id, lamp_acts.another_lamp(ready(move_id), wanted.light, wanted.mirrored))


@router.post("/moves/{move_id}/light-place", response=MoveOut)
def light_place(request: HttpRequest, move_id: int, wanted: LightPlace) -> Any:
    """A lamp put where it lights a place of the model from a side."""
    made = lamp_acts.lighting_place(ready(move_id), wanted.light, wanted.point, wanted.matrix, wanted.side)
    return take(request, move_id, made)


@router.post("/moves/{move_id}/fill-frame", response=MoveOut)
def fill_frame(request: HttpRequest, move_id: int, wanted: FillFrame) -> Any:
    """An opening or a panel that fills the frame of picked faces."""
    return take(request, move_id, lamp_acts.filling(ready(move_id), wanted.faces, wanted.what))


@router.post("/moves/{move_id}/press-on", response=PressedOut)
def press_on(request: HttpRequest, move_id: int, wanted: PressOn) -> Any:
    """A picture pressed onto the model where one points."""
    made = pressing.pressed(
        ready(move_id),
        wanted.image,
        wanted.point,
        wanted.matrix,
        wanted.width_m,
        wanted.turn_deg,
        wanted.instead_of,
        wanted.uv_set,
    )
    return {
        "target": made.target,
        "index": made.index,
        "told": made.told,
        "move": take(request, move_id, made.decisions),
    }


@router.post("/moves/{move_id}/white-backdrop", response=MoveOut)
def white_backdrop(request: HttpRequest, move_id: int) -> Any:
    """A plain backdrop that is white at the exposure both sides are shown at."""
    return take(request, move_id, backdrops.white(ready(move_id)))
