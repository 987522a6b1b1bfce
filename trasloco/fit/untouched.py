"""The same delivery passed on without any conversion: what an artist gets who renames nothing, turns nothing
and hopes.

Every image goes as it is into the place where the destination looks for that input. It is the baseline a move
is measured against.
"""

from __future__ import annotations

from trasloco.fit.model import Crossing, Landing, LightCrossing, Plan, PlannedImage, Step
from trasloco.fit.naming import Namer
from trasloco.inputs.table import INPUTS, ORDER
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


def plan_untouched(received: Scene, destination: Sheet) -> Plan:
    """One copy step a crossing; constants as they stand; the alpha mode and the light units stay unsaid."""
    namer = Namer(destination.images.pattern, destination.images.folder)
    crossings: list[Crossing] = []
    images: list[PlannedImage] = []
    rules = destination.materials
    for material in received.materials.values():
        filled: set[str] = set()
        for name in sorted(material.inputs, key=lambda key: ORDER[key]):
            given = material.inputs[name]
            identity = f"{material.id}/{name}"
            target = "normal" if name == "height" else name
            place = rules.set_of(target)
            image = received.images.get(given.texture.image) if given.texture else None
            landing, mark, steps = Landing(), "lost", (Step("copy", "passed on as it is"),)
            if (
                given.texture is not None
                and image is not None
                and image.usable
                and place is not None
                and place[0].name not in filled
            ):
                filled.add(place[0].name)
                path = namer.path(material.name, place[0].name, image.kind)
                images.append(
                    PlannedImage(
                        path,
                        material.id,
                        place[0].name,
                        image.width,
                        image.height,
                        image.depth,
                        image.kind,
                        place[0].encoding,
                        {place[1]: identity},
                        {},
                        image.id,
                    )
                )
                landing, mark = Landing(target, path, place[1]), "close"
            elif given.texture is None and target in rules.inputs:
                landing, mark = Landing(target, value=tuple(given.factor)), "close"
            crossings.append(
                Crossing(
                    identity,
                    material.id,
                    name,
                    INPUTS[name].label,
                    given,
                    steps,
                    landing,
                    mark,  # type: ignore[arg-type]
                    "Nothing was converted.",
                )
            )  # type: ignore[arg-type]
    lights = tuple(
        LightCrossing(light.id, "unit and shadows unsaid", "close") for light in received.lights.values()
    )
    return Plan(
        destination.name,
        tuple(crossings),
        tuple(images),
        lights,
        (),
        dict.fromkeys(received.materials, "opaque"),
        untouched=True,
    )
