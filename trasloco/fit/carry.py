"""Carrying a plan out: planes to image files, and the delivered scene; marks are measured on the way."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass, replace
from threading import Lock
from typing import Any

import numpy as np

from trasloco.fit.atlas import Atlas, laid_out
from trasloco.fit.crossings import baked, beside_image, has_step, how_baked
from trasloco.fit.delivered import delivered_scene
from trasloco.fit.formulas import codes as do
from trasloco.fit.geometry.backs import backs_for, with_backs
from trasloco.fit.geometry.shaping import Shaped, shaped_meshes
from trasloco.fit.measuring import measured
from trasloco.fit.model import Carried, Crossing, Mark, MeshCrossing, Plan, PlannedImage
from trasloco.fit.on_points import measured_on_points
from trasloco.fit.plane import Order
from trasloco.fit.texels import ingredients, plane_of
from trasloco.fit.together.between import between
from trasloco.fit.together.drawing import drawn_together, with_measures
from trasloco.fit.writing import written
from trasloco.hands.model import Shared, kept_in_order
from trasloco.hands.setting import hands
from trasloco.progress import Progress, part_of, silent
from trasloco.scene.digest import digest
from trasloco.scene.images import Image, identify, pixels, unit_floats
from trasloco.scene.model import Scene
from trasloco.scene.texels_held import Pixels
from trasloco.sheets.model import Sheet

_LARGE_TEXELS = 3000 * 3000
_LARGE = Lock()


@dataclass(frozen=True)
class _Desk:
    """What images are made from."""

    scene: Scene
    crossings: Mapping[str, Crossing]
    atlases: Mapping[str, Atlas]
    green_up: bool

    def members(self, planned: PlannedImage) -> dict[str, Crossing]:
        """What goes into an image, by channel."""
        return {channel: self.crossings[id] for channel, id in planned.channels.items()}

    @property
    def shared(self) -> Shared[_Desk]:
        return Shared(self)


def _desk(scene: Scene, plan: Plan, destination: Sheet, atlases: Mapping[str, Atlas] | None = None) -> _Desk:
    return _Desk(
        scene,
        {crossing.id: crossing for crossing in plan.crossings},
        atlases or {},
        destination.conventions.normal_green == "up",
    )


def _room_for(crossings: Iterable[Crossing], reference: Scene) -> AbstractContextManager[Any]:
    """Large images are worked on one at a time, so that memory stays bounded whatever the number of threads."""
    held = (
        reference.images.get(crossing.given.texture.image)
        for crossing in crossings
        if crossing.given.texture is not None
    )
    return (
        _LARGE
        if any(image is not None and image.width * image.height > _LARGE_TEXELS for image in held)
        else nullcontext()
    )


def measure_plan(plan: Plan, reference: Scene, destination: Sheet, progress: Progress = silent) -> Plan:
    """The plan with every mark measured.

    Crossings that did not change since they were last measured are not done again. What is drawn together is
    measured as it comes to the destination's terms; once more when it is drawn.
    """
    if plan.between is not None:
        inner = measure_plan(plan.between, reference, between(destination), progress)
        return replace(plan, between=inner, meshes=inner.meshes, crossings=tuple(with_measures(plan, inner)))
    desk = _desk(reference, plan, destination)
    on_points = [c for c in plan.crossings if has_step(c, "points") and c.landing.input]
    backed = with_backs(reference, backs_for(reference, destination)) if on_points else reference
    done = {crossing.id: measured_on_points(crossing, backed) for crossing in on_points}
    by_path = {image.path: image for image in plan.images}
    waiting = [
        (crossing, planned)
        for crossing in plan.crossings
        if crossing.id not in done
        and (planned := by_path.get(crossing.landing.image)) is not None
        and crossing.given.texture is not None
        and crossing.landing.input
        and crossing.mark not in ("lost", "blocked")
        and not planned.copy
        and not baked(crossing)
    ]
    keys = [
        digest(
            ingredients(Order(crossing, planned, reference, {})),
            crossing.mark,
            crossing.reason,
            desk.green_up,
        )
        for crossing, planned in waiting
    ]
    found = kept_in_order("measured", keys, hands(), _measured, desk.shared, waiting)
    for (crossing, _), it in zip(waiting, found, strict=True):
        done[crossing.id] = _as_measured(crossing, it)
        progress(len(done) / max(len(waiting), 1), "measuring crossings")
    return replace(
        plan,
        crossings=tuple(done.get(crossing.id, crossing) for crossing in plan.crossings),
        meshes=_measured_meshes(plan, shaped_meshes(reference, {m.mesh: m.wish for m in plan.meshes})),
    )


def _measured_meshes(plan: Plan, shaped: Mapping[str, Shaped]) -> tuple[MeshCrossing, ...]:
    made = []
    for crossing in plan.meshes:
        found = shaped[crossing.mesh]
        over = bool(crossing.wish.triangles) and found.after > crossing.wish.triangles
        mark: Mark = (
            "lost"
            if crossing.wish.subdivide and found.after == found.before
            else "close"
            if over or found.after != found.before
            else "exact"
        )
        made.append(
            replace(
                crossing,
                after=found.after,
                largest_m=found.largest_m,
                mean_m=found.mean_m,
                mark=mark,
                reason=found.note,
            )
        )
    return tuple(made)


def _as_measured(crossing: Crossing, found: Crossing) -> Crossing:
    return replace(crossing, mark=found.mark, reason=found.reason, error=found.error, rms=found.rms)


def carry_out(reference: Scene, plan: Plan, destination: Sheet, progress: Progress = silent) -> Carried:
    """Execute a plan: the delivered scene with its image files."""
    if plan.between is not None:
        alone = carry_out(reference, plan.between, between(destination), part_of(progress, 0.0, 0.5))
        return drawn_together(alone, plan, reference, destination, part_of(progress, 0.5, 1.0))
    shaped = shaped_meshes(reference, {m.mesh: m.wish for m in plan.meshes})
    scene = replace(reference, meshes={**reference.meshes, **{id: one.mesh for id, one in shaped.items()}})
    scene = with_backs(scene, backs_for(reference, destination))
    atlases: dict[str, Atlas] = {}
    for material, side in plan.atlases.items():
        scene, atlases[material] = laid_out(scene, material, how_baked(plan.of(material)), side)
    desk = _desk(scene, plan, destination, atlases)
    updates: dict[str, Crossing] = {}
    images: dict[str, Image] = {}
    for planned in plan.images:
        if planned.copy:
            source = scene.images[planned.copy]
            images[planned.path] = replace(
                source, id=f"image:{planned.path}", name=planned.path.rsplit("/", 1)[-1], path=planned.path
            )
    waiting = [planned for planned in plan.images if not planned.copy]
    keys = [_recipe(planned, desk) for planned in waiting]
    made = kept_in_order("written", keys, hands(), _written, desk.shared, waiting)
    for planned, (data, measures) in zip(waiting, made, strict=True):
        members = desk.members(planned)
        updates.update({members[c].id: _as_measured(members[c], it) for c, it in measures.items()})
        images[planned.path] = identify(
            f"image:{planned.path}", planned.path.rsplit("/", 1)[-1], planned.path, data
        )
        progress(len(images) / max(len(plan.images), 1), f"{len(images)} of {len(plan.images)} images")
    images = {planned.path: images[planned.path] for planned in plan.images}
    plan = replace(
        plan,
        crossings=tuple(updates.get(c.id, c) for c in plan.crossings),
        meshes=_measured_meshes(plan, shaped),
    )
    return Carried(delivered_scene(scene, plan, images, destination, atlases), plan, images)


def _recipe(planned: PlannedImage, desk: _Desk) -> str:
    """What a file is made of, as a key; empty for one that is drawn from a mesh."""
    parts: list[Any] = [
        planned.kind,
        planned.coding,
        planned.loss,
        planned.file_depth,
        planned.encoding,
        planned.width,
        planned.height,
        dict(planned.fill),
        desk.green_up,
    ]
    for channel, crossing in sorted(desk.members(planned).items()):
        if baked(crossing):
            return ""
        made = (
            ingredients(Order(crossing, planned, desk.scene, desk.atlases))
            if crossing.given.texture is not None
            else [crossing.given.factor, crossing.landing.value, beside_image(crossing)]
        )
        parts.append([channel, made, crossing.mark, crossing.reason])
    return digest(parts)


def _measured(desk: _Desk, piece: tuple[Crossing, PlannedImage]) -> Crossing:
    """A crossing as its steps make it."""
    crossing, planned = piece
    order = Order(crossing, planned, desk.scene, {})
    with _room_for([crossing], desk.scene):
        return measured(order, plane_of(order), desk.green_up)


def _written(desk: _Desk, planned: PlannedImage) -> tuple[bytes, dict[str, Crossing]]:
    """A file, and its crossings by channel as measured."""
    with _room_for(desk.members(planned).values(), desk.scene):
        return _write(planned, desk)


def _write(planned: PlannedImage, desk: _Desk) -> tuple[bytes, dict[str, Crossing]]:
    members, scene, atlases, green_up = desk.members(planned), desk.scene, desk.atlases, desk.green_up
    planes: dict[str, Any] = {}
    found: dict[str, Crossing] = {}
    fill = dict(planned.fill)
    for channel, crossing in members.items():
        if crossing.given.texture is None and not baked(crossing):
            _fill_constant(planned, channel, crossing, planes, fill)
            floating = planned.file_depth == do.FLOATING
            if not (beside_image(crossing) or floating) and not all(
                0 <= v <= 1 for v in crossing.given.factor
            ):
                found[channel] = _cut(crossing, planned)
            continue
        order = Order(crossing, planned, scene, atlases)
        planes[channel] = plane_of(order)
        if not planned.lossy:
            # What the plan measured on the same texels need not be measured again.
            found[channel] = (
                crossing if crossing.error is not None else measured(order, planes[channel], green_up)
            )
    if not planes:  # numbers alone
        letter, value = next(iter(fill.items()))
        even = np.full((planned.height, planned.width), value, np.float32)
        planes[letter] = do.to_depth(even, planned.file_depth)
    data = written(np.ascontiguousarray(do.pack(planes, fill, planned.file_depth)), planned)
    if planned.lossy:
        # What a lossy file holds is known only when it is read again.
        texels = pixels(identify("image:written", "written", planned.path, data))
        found = {
            channel: measured(
                Order(members[channel], planned, scene, atlases), do.extract(texels, channel), green_up
            )
            for channel in planes
            if members[channel].given.texture is not None or baked(members[channel])
        }
        found |= {
            channel: _measured_fill(members[channel], do.extract(texels, channel))
            for channel in fill
            if channel in members
        }
    return data, found


def _cut(crossing: Crossing, planned: PlannedImage) -> Crossing:
    """A number beyond what an image holds, and how far off it is there, as stored."""
    meant = np.asarray(crossing.given.factor, np.float32)
    encoded = planned.encoding == "srgb" and len(meant) == 3
    apart = do.stored(meant, encoded) - do.stored(np.clip(meant, 0, 1), encoded)
    return replace(crossing, rms=float(np.sqrt(np.mean(apart**2))))


def _measured_fill(crossing: Crossing, codes: Pixels) -> Crossing:
    """A constant that fills a channel of a lossy file, and how far off it is read there."""
    apart = unit_floats(codes) - np.float32(crossing.given.factor[0])
    return replace(crossing, rms=float(np.sqrt(np.mean(apart**2))))


def _fill_constant(
    planned: PlannedImage, channel: str, crossing: Crossing, planes: dict[str, Any], fill: dict[str, float]
) -> None:
    """A constant that fills a channel; 1 where it stands beside the image and multiplies it."""
    values = (
        (1.0,) * len(crossing.given.factor)
        if beside_image(crossing) and crossing.landing.value
        else crossing.given.factor
    )
    if channel != "rgb":
        fill[channel] = values[0] if planned.file_depth == do.FLOATING else min(max(values[0], 0.0), 1.0)
        return
    held = np.asarray(values, np.float32)
    floating = planned.file_depth == do.FLOATING
    codes = do.to_depth(held if floating else do.encode_values(held, planned.encoding), planned.file_depth)
    planes["rgb"] = np.broadcast_to(codes, (planned.height, planned.width, 3))
