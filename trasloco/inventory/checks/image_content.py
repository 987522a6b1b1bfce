"""Images by what they hold: normals or height, colour or data, green up or down, gloss or roughness,
plausible values.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import numpy as np

from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.inventory.checks.images import used_by, users_of
from trasloco.inventory.context import Context
from trasloco.scene.findings import Evidence, Finding, Mend
from trasloco.scene.images import Image, pixels, unit_floats
from trasloco.scene.model import Decision, Texture
from trasloco.scene.resolve import channel_of

_GLOSS = re.compile(
    r"(?<![a-z])(gloss|glossiness|smooth|smoothness|glossy|shininess)(?![a-z])", re.IGNORECASE
)
_ROUGH = re.compile(r"(?<![a-z])(rough|roughness|rgh)(?![a-z])", re.IGNORECASE)
_WORDS = re.compile(r"(?<=[a-z])(?=[A-Z])|[_\-. ]+")


def _spaced(name: str) -> str:
    return _WORDS.sub(" ", name).lower()


def read_as_in(context: Context, image: Image) -> list[tuple[str, str, Texture]]:
    """(material id, input, texture) of every input that reads an image."""
    found: list[tuple[str, str, Texture]] = []
    for material, name in users_of(context.scene, image.id):
        texture = context.scene.materials[material].inputs[name].texture
        if texture is not None:
            found.append((material, name, texture))
    return found


def finding_of(
    context: Context,
    kind: str,
    image: Image,
    title: str,
    where: str,
    consequence: str,
    weight: float,
    evidence: Evidence,
    mends: tuple[Mend, ...] = (),
) -> Finding:
    materials = tuple(dict.fromkeys(m for m, _ in users_of(context.scene, image.id)))
    return Finding(
        f"{kind}:{image.id}",
        kind,
        title,
        f"{image.name} · {where}",
        consequence,
        (image.id, *materials),
        weight,
        evidence,
        mends,
    )


def normal_maps(context: Context) -> Iterator[Finding]:
    """A height picture read as normals, normals read as height or colour, colour decoding on normals, and
    green against what was settled.
    """
    for image, sight in context.sights():
        for material, name, texture in read_as_in(context, image):
            target = f"{material}/{name}"
            if name in VECTORS and not sight.normals and sight.grey:
                mend = Mend(
                    "Read it as height",
                    (
                        Decision(target, "image", None),
                        Decision(f"{material}/height", "image", {"image": image.id, "channels": "r"}),
                    ),
                )
                yield finding_of(
                    context,
                    "height_as_normal",
                    image,
                    "A height picture is read as normals",
                    used_by(context.scene, image.id),
                    "Grey is no direction: the whole surface tilts one way and shades flat.",
                    72,
                    {"grey": True},
                    (mend,),
                )
                break
            if name in VECTORS and not sight.normals:
                yield finding_of(
                    context,
                    "not_normals",
                    image,
                    "This does not look like a normal map",
                    used_by(context.scene, image.id),
                    "Its texels are no directions of unit length; shading goes wrong there.",
                    50,
                    {},
                )
                break
            if name == "height" and sight.normals:
                mend = Mend(
                    "Read it as normals",
                    (
                        Decision(target, "image", None),
                        Decision(f"{material}/normal", "image", {"image": image.id, "channels": "rgb"}),
                    ),
                )
                yield finding_of(
                    context,
                    "normal_as_height",
                    image,
                    "A normal map is read as height",
                    used_by(context.scene, image.id),
                    "Only its red channel would be used, as relief that is not there.",
                    68,
                    {},
                    (mend,),
                )
                break
            if name not in VECTORS and name != "height" and INPUTS[name].channels == 3 and sight.normals:
                yield finding_of(
                    context,
                    "normal_as_color",
                    image,
                    "A normal map is used as colour",
                    used_by(context.scene, image.id),
                    "The surface arrives lilac.",
                    78,
                    {},
                )
                break
            if name in VECTORS and texture.encoding == "srgb":
                yield finding_of(
                    context,
                    "data_as_color",
                    image,
                    "Data is decoded as colour",
                    f"{used_by(context.scene, image.id)} · sRGB",
                    "Every direction is bent; shading is flat on one side and harsh on the other.",
                    60,
                    {},
                    (Mend("Read it as data", (Decision(target, "encoding", "linear"),)),),
                )
                break


def green_direction(context: Context) -> Iterator[Finding]:
    """The measured direction against the one that was settled; thin evidence is said only where nobody knows."""
    for image, sight in context.sights():
        users = [(m, n, t) for m, n, t in read_as_in(context, image) if n in VECTORS]
        if not users or sight.green is None:
            continue
        settled = "up" if users[0][2].green_up else "down"
        green = sight.green
        measured: Evidence = {
            "measured": green.way,
            "settled": settled,
            "confidence": round(green.confidence, 2),
            "curl_up": green.curl_up,
            "curl_down": green.curl_down,
        }
        if green.way == "unsure":
            if (
                "green" not in context.received.declares
                and context.source.name == "Plain"
                and max(green.curl_up, green.curl_down) > 1e-6
            ):
                yield finding_of(
                    context,
                    "green_unsure",
                    image,
                    "Green direction cannot be told",
                    f"taken as {settled}",
                    "The map is too smooth or too even for its field to tell. Look at a raised edge under light from above.",
                    14,
                    measured,
                )
            continue
        if green.way != settled:
            mend = Mend(
                f"Set green {green.way}",
                tuple(Decision(f"{m}/{n}", "green_up", green.way == "up") for m, n, _ in users),
            )
            weight = 35 + 35 * min(green.confidence * 2, 1)
            yield finding_of(
                context,
                "green_direction",
                image,
                "Green points the other way",
                f"measured {green.way}, settled {settled}, confidence {green.confidence:.0%}",
                "Bumps look like dents when the light comes from above.",
                weight,
                measured,
                (mend,),
            )


def color_encoding(context: Context) -> Iterator[Finding]:
    """Colour read as data, and data read as colour (by the input and the name together)."""
    for image, _ in context.sights():
        for material, name, texture in read_as_in(context, image):
            if name in VECTORS or image.floating or name == "height":
                continue
            wanted = "srgb" if INPUTS[name].color else "linear"
            if texture.encoding != wanted and (image.depth == 8 or wanted == "linear"):
                title = "Colour is read as data" if wanted == "srgb" else "Data is decoded as colour"
                consequence = (
                    "It arrives too light and washed out."
                    if wanted == "srgb"
                    else "Its middle values shift: too glossy, or too little of it."
                )
                mend = Mend(
                    "Read it as colour" if wanted == "srgb" else "Read it as data",
                    (Decision(f"{material}/{name}", "encoding", wanted),),
                )
                yield finding_of(
                    context,
                    "color_as_data" if wanted == "srgb" else "data_as_color",
                    image,
                    title,
                    used_by(context.scene, image.id),
                    consequence,
                    52,
                    {"encoding": texture.encoding},
                    (mend,),
                )
                break


def gloss_or_roughness(context: Context) -> Iterator[Finding]:
    """Name and content against the way the image is read. The name weighs most; the mean value and cavities
    weigh in.

    Crevices are rough: where the occlusion image is dark, roughness is high and gloss low.
    """
    for image, _ in context.sights():
        for material, name, texture in read_as_in(context, image):
            if name != "roughness":
                continue
            words = _spaced(image.name)
            named = 3.0 * bool(_GLOSS.search(words)) - 3.0 * bool(_ROUGH.search(words))
            cavity = _cavity(context, material, image, texture)
            stored = float(coarse(image, texture.channels).mean())
            odds = named + 4.0 * cavity + 1.0 * (0.45 - stored if named == 0 else 0.0)
            read_as_gloss = texture.invert
            if abs(odds) < 1.5 or (odds > 0) == read_as_gloss:
                continue
            said = "gloss" if odds > 0 else "roughness"
            evidence: Evidence = {"name_odds": named, "cavity": round(cavity, 2), "mean": round(stored, 2)}
            mend = Mend(f"Read it as {said}", (Decision(f"{material}/roughness", "invert", odds > 0),))
            yield finding_of(
                context,
                "gloss_or_roughness",
                image,
                f"This looks like {said}",
                f"{context.scene.materials[material].name} reads it as {'gloss' if read_as_gloss else 'roughness'}",
                "Dull parts arrive shiny and shiny parts dull.",
                66,
                evidence,
                (mend,),
            )
            break


def _cavity(context: Context, material: str, image: Image, texture: Texture) -> float:
    """Correlation of the stored values with the material's occlusion image, 0 where there is none of the same
    shape.
    """
    occlusion = context.scene.materials[material].inputs.get("occlusion")
    other = (
        context.scene.images.get(occlusion.texture.image)
        if occlusion is not None and occlusion.texture is not None
        else None
    )
    if (
        other is None
        or occlusion is None
        or occlusion.texture is None
        or not other.usable
        or other.id == image.id
    ):
        return 0.0
    a, b = (coarse(one, t.channels) for one, t in ((image, texture), (other, occlusion.texture)))
    if a.std() < 0.01 or b.std() < 0.01:
        return 0.0
    return float(np.corrcoef(a.ravel(), b.ravel())[0, 1])


def coarse(image: Image, channels: str) -> Any:
    whole = pixels(image)
    rows, columns = (np.linspace(0, n - 1, 64).astype(int) for n in whole.shape[:2])
    sample = unit_floats(np.ascontiguousarray(whole[rows][:, columns]))
    return channel_of(sample, "r" if channels == "rgb" else channels)
