"""Light that was baked before it came: paired with its parts, or waiting for one."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.inventory.context import Context
from trasloco.inventory.marking import names_of
from trasloco.inventory.paint import paint_of
from trasloco.light.received import USUAL_LUX, multiplied_light, pairings, wearers
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision


def received_lightmaps(context: Context) -> Iterator[Finding]:
    """Images named as lightmaps: those that fit a part as one finding, those in trouble one by one; and
    images multiplied over colours.
    """
    scene = context.scene
    found = pairings(scene)
    fit = [one for one in found if one.part and not one.trouble]
    if fit:
        decisions = tuple(
            Decision(one.part, "received_light", {"image": one.image, "lux": USUAL_LUX}) for one in fit
        )
        label = (
            "Give each part its light" if len(fit) > 1 else f"Give {scene.nodes[fit[0].part].name} its light"
        )
        yield Finding(
            "received_light:scene",
            "received_light",
            "Light came along written down",
            f"{names_of(scene, [one.part for one in fit])} · {fit[0].reason}",
            f"Unread, the parts are lit anew and look otherwise than where they were baked. White is taken for {USUAL_LUX:g} lux, a guess, until you say.",
            tuple(one.part for one in fit),
            44,
            {"images": [one.image for one in fit]},
            (Mend(label, decisions),),
        )
    for one in found:
        if one.part and not one.trouble:
            continue
        where = scene.images[one.image].name
        why = f"{one.reason}; {one.trouble}" if one.trouble else one.reason
        yield Finding(
            f"unread_light:{one.image}",
            "unread_light",
            "A lightmap that nothing can read",
            f"{where} · {why}",
            "It stays behind, and the part is lit where it arrives.",
            (one.part,) if one.part else (),
            24,
            {},
        )
    for held in multiplied_light(scene):
        name, image = scene.materials[held.material].name, scene.images[held.image].name
        yield Finding(
            f"received_light:{held.material}",
            "received_light",
            "Light multiplied over a colour",
            f"{name} · {image}, on a UV set of its own, multiplies its colour",
            f"Read as colour, it is lit a second time where it arrives. White is taken for {USUAL_LUX:g} lux, a guess, until you say.",
            held.parts,
            46,
            {"images": [held.image]},
            (
                Mend(
                    f"Read it as the light of {name}",
                    (Decision(held.material, "received_light", {"image": held.image, "lux": USUAL_LUX}),),
                ),
            ),
        )


def painted_light(context: Context) -> Iterator[Finding]:
    """Vertex colours that are light, where the destination takes light written down."""
    scene = context.scene
    if not context.destination.lightmaps.taken:
        return
    for material in scene.materials.values():
        paint = paint_of(scene, material.id)
        parts = tuple(part.id for part in wearers(scene, material.id))
        if paint is not None and paint.kind == "baked light" and parts:
            yield Finding(
                f"painted_light:{material.id}",
                "received_light",
                "Light in the vertex colours",
                f"{material.name} · {paint.evidence}",
                f"They multiply its colour, and it is lit a second time where it arrives. White is taken for {USUAL_LUX:g} lux, a guess, until you say.",
                parts,
                40,
                {},
                (
                    Mend(
                        f"Read them as the light of {material.name}",
                        (Decision(material.id, "received_light", {"paint": True, "lux": USUAL_LUX}),),
                    ),
                ),
            )
