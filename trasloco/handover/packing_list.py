"""The packing list: everything that is delivered, as text a person reads."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from trasloco.fit.geometry.collision import collision_cost
from trasloco.fit.model import Carried
from trasloco.handover.packing import Package
from trasloco.inputs.table import INPUTS
from trasloco.scene.extent import bounds
from trasloco.scene.geometry import triangle_count
from trasloco.scene.model import Node, Scene
from trasloco.scene.tags import tags_words
from trasloco.scene.wording import one_line
from trasloco.sheets.model import Sheet


def human_size(count: int) -> str:
    """Bytes in decimal units with one digit."""
    if count < 1000:
        return f"{count} B"
    return f"{count / 1000:.1f} kB" if count < 1_000_000 else f"{count / 1e6:.1f} MB"


def packing_list(
    carried: Carried,
    package: Package,
    destination: Sheet,
    decided: Sequence[str] = (),
    accounts: Sequence[str] = (),
) -> str:
    """Parts, materials, inputs, images and lights with how each arrives; ``decided`` is what the artist
    mended and overruled, in words;
    ``accounts`` what the delivered bytes say against it."""
    scene, plan = _on_one_line(carried.scene), carried.plan
    box = bounds(scene)
    size = " × ".join(f"{s:.2f}" for s in (box[1] - box[0])) if box is not None else "0"
    lines = [
        f"Packing list · {scene.name} to {destination.name}",
        "",
        f"{len(scene.parts())} parts, {triangle_count(scene)} triangles, {size} m, {len(package.files)} files, {human_size(package.size_bytes)}",
        "",
    ]
    lines += ["Sent and arrived", *(f"  {line}" for line in accounts), ""] if accounts else []
    lines += [
        "Geometry",
        *(f"  {step.text}" for step in plan.geometry),
        *(["  axis and unit unchanged"] if not plan.geometry else []),
    ]
    for mesh in plan.meshes:
        names = ", ".join(scene.nodes[part].name for part in mesh.parts if part in scene.nodes)
        far = f", at most {1000 * mesh.largest_m:.2g} mm off" if mesh.largest_m is not None else ""
        lines.append(
            f"  {mesh.mark:<8}{names}: {mesh.text}, {mesh.before} to {mesh.after}{far}"
            + (f"  ({mesh.reason})" if mesh.reason else "")
        )
    lines += ["", "Materials"]
    for material in scene.materials.values():
        lines.append(
            f"  {material.name}  ({plan.alpha.get(material.id, 'opaque')}{', two-sided' if material.double_sided else ''})"
        )
        for crossing in plan.of(material.id):
            if not crossing.landing.input:
                lines.append(f"    {crossing.mark:<8}{crossing.label}: {crossing.reason}")
                continue
            steps = ", ".join(step.text for step in crossing.steps) or "as it is"
            place = (
                f"{crossing.landing.image} {crossing.landing.channel.upper()}"
                if crossing.landing.image
                else (" ".join(f"{v:.4g}" for v in crossing.landing.value) if crossing.landing.value else "")
            )
            target = INPUTS[crossing.landing.input].label
            lines.append(
                f"    {crossing.mark:<8}{crossing.label} → {target}: {steps} → {place}"
                + (f"  ({crossing.reason})" if crossing.reason else "")
            )
    lines += ["", "Lights"]
    lines += [
        f"  {one.mark:<8}{scene.lights[one.light].name if one.light in scene.lights else one.light.partition(':')[2] or one.light}: {one.text}"
        for one in plan.lights
    ] or ["  none"]
    lines += _written_light(scene)
    if destination.after_effects:
        lines += [
            "",
            "To switch off there, since it was judged without",
            *(f"  {effect.name}: {effect.off or effect.does}" for effect in destination.after_effects),
        ]
    lines += ["", "Mended and decided", *(f"  {one_line(line)}" for line in decided or ("nothing",))]
    lines += [
        "",
        "Parts",
        *(f"  {part.name}" + _tagged(scene, part) for part in scene.parts()),
        "",
        "Files",
        *(f"  {path}  {human_size(len(data))}" for path, data in package.files.items()),
        "",
    ]
    return "\n".join(lines)


def _on_one_line(scene: Scene) -> Scene:
    """The scene with names that cannot break a line of the list, or write one of their own."""

    def plain(group: Mapping[str, Any]) -> Any:
        return {id: replace(one, name=one_line(one.name)) for id, one in group.items()}

    return replace(
        scene,
        name=one_line(scene.name),
        nodes=plain(scene.nodes),
        materials=plain(scene.materials),
        lights=plain(scene.lights),
        cameras=plain(scene.cameras),
    )


def _counted(number: int, what: str) -> str:
    return f"{number} {what}{'' if number == 1 else 's'}"


def _written_light(scene: Scene) -> list[str]:
    """What travels of light that was written down."""
    mapped = [part.lightmap for part in scene.parts() if part.lightmap is not None]
    probed = [part.name for part in scene.parts() if part.probed]
    images = len({one.image for one in mapped})
    lines = (
        [
            f"  {_counted(len(mapped), 'part')} in {_counted(images, 'lightmap')}"
            + (", with where light comes from" if any(one.direction for one in mapped) else "")
        ]
        if mapped
        else []
    )
    lines += [f"  {_counted(len(scene.probes), 'probe')} for {', '.join(probed)}"] if probed else []
    return ["", "Light written down", *lines] if lines else []


def _tagged(scene: Scene, part: Node) -> str:
    words = tags_words(part.tags)
    if part.tags.collision in ("box", "hull", "pieces", "mesh"):
        cost = collision_cost(scene, part.id)[part.tags.collision]
        words += f" ({cost.pieces} piece{'s' if cost.pieces > 1 else ''}, {cost.triangles} triangles)"
    return f"  {words}" if words else ""
