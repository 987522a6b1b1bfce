"""Sheets in plain words: every line of a sheet that a rule consults, what it means, what goes wrong when it
is wrong, and what it may be.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from trasloco.inputs.table import INPUTS, ORDER
from trasloco.light_codes.codes import LIGHT_CODES
from trasloco.scene.color import roughness_of_gloss
from trasloco.sheets.model import Sheet

FieldKind = Literal["choice", "flag", "number", "text", "several", "inputs", "sets"]


@dataclass(frozen=True)
class FieldWords:
    """One line of a sheet.

    Attributes:
        path: dotted path in the TOML. group, label: heading and name on screen. why: what it decides.
        kind: what it takes. choices: allowed values and what each says; a flag has ``true`` and ``false``; a
            number has the sentence it fills.
        roles: which sheets have it. signs: what a choice is drawn as, in a few characters.
    """

    path: str
    group: str
    label: str
    why: str
    kind: FieldKind
    choices: dict[str, str] = field(default_factory=dict)
    roles: tuple[str, ...] = ("source", "destination")
    signs: dict[str, str] = field(default_factory=dict)


_SOURCE, _DESTINATION = ("source",), ("destination",)
_UNITS = {
    1.0: "1 m",
    0.01: "1 cm",
    0.001: "1 mm",
    0.0254: "1 inch",
    0.3048: "1 foot",
    0.1: "10 cm",
    1000.0: "1 km",
}

FIELDS: tuple[FieldWords, ...] = (
    FieldWords(
        "conventions.up_axis",
        "Space",
        "Which way is up",
        "Wrong, and the scene lies on its side.",
        "choice",
        {"Y": "Y points up", "Z": "Z points up, the ground is X and Y", "X": "X points up"},
    ),
    FieldWords(
        "conventions.unit_m",
        "Space",
        "Size of one unit",
        "Metres a unit. Wrong by a hundred is the usual case: a stage the size of a matchbox.",
        "number",
        {"": "One unit is {unit}"},
    ),
    FieldWords(
        "conventions.normal_green",
        "Surface",
        "Green in normal maps",
        "The other way round, every dent becomes a bump.",
        "choice",
        {
            "up": "Green shines where a bump faces the top of the image",
            "down": "Green shines where a bump faces the bottom of the image",
        },
    ),
    FieldWords(
        "conventions.shininess",
        "Surface",
        "How shininess is told",
        "Gloss read as roughness turns wax into lacquer and lacquer into chalk.",
        "choice",
        {"roughness": "By roughness: white is dull", "gloss": "By gloss: white is shiny"},
        _SOURCE,
    ),
    FieldWords(
        "conventions.gloss_curve",
        "Surface",
        "What gloss means",
        "The curve between gloss and roughness; only for gloss.",
        "choice",
        {
            "linear": "Roughness is 1 − gloss",
            "squared": "Roughness is the square of 1 − gloss",
            "exponent": "Gloss is a share of a Blinn exponent",
        },
        _SOURCE,
    ),
    FieldWords(
        "conventions.gloss_top",
        "Surface",
        "Exponent of full gloss",
        "What white stands for, where gloss is an exponent.",
        "number",
        {"": "White stands for an exponent of {value}"},
        _SOURCE,
    ),
    FieldWords(
        "conventions.tint",
        "Surface",
        "A tint beside an image",
        "Whether the number beside an image counts. Where it does, a carrier that takes only the image loses the tint.",
        "choice",
        {
            "multiplies the image": "Tint and image are multiplied",
            "replaced by the image": "The image alone counts",
        },
        _SOURCE,
    ),
    FieldWords(
        "conventions.vertex_color",
        "Surface",
        "Vertex colours at the source",
        "Where the source passes over them, what it shows is without them; a destination that multiplies them in would discolour everything.",
        "choice",
        {"multiplies": "Multiply into the base colour", "ignored": "Have no effect"},
        _SOURCE,
    ),
    FieldWords(
        "conventions.vertex_color_encoding",
        "Surface",
        "Vertex colours are stored",
        "Picked on screen or as light: the wrong one makes them too dark or too pale.",
        "choice",
        {"linear": "As amounts of light", "srgb": "As picked on a screen (sRGB)"},
        _SOURCE,
    ),
    FieldWords(
        "conventions.ids_by_vertex_color",
        "Surface",
        "Flat vertex colours are IDs",
        "Whether a piece of one flat colour says which material it is of.",
        "flag",
        {"true": "They mark which pieces are one material", "false": "They are paint"},
        _SOURCE,
    ),
    FieldWords(
        "geometry.most_triangles",
        "Meshes",
        "Triangles of one part",
        "Heavier parts are reduced on the way, borders held and the distance measured; 0 is no limit.",
        "number",
        {"": "At most {value}", "none": "Any number"},
        _DESTINATION,
    ),
    FieldWords(
        "images.folder",
        "Image files",
        "Folder",
        "Where images lie in the package.",
        "text",
        {"": "In {value}", "none": "Beside the model"},
        _DESTINATION,
    ),
    FieldWords(
        "images.pattern",
        "Image files",
        "Names",
        "{material} and {set} are filled in; every material needs names of its own.",
        "text",
        {"": "Named {value}"},
        _DESTINATION,
    ),
    FieldWords(
        "images.kind",
        "Image files",
        "Kind of file",
        "PNG keeps every code; JPEG is smaller, loses some and has no see-through channel; KTX2 stays compressed in memory, at a quarter of the size.",
        "choice",
        {"png": "PNG", "jpg": "JPEG", "ktx2": "KTX2, block-compressed"},
        _DESTINATION,
    ),
    FieldWords(
        "images.depth",
        "Image files",
        "Bits a channel",
        "The most it is given: an image of 8 bits stays one. 8 bits show steps in smooth gradients of gloss and relief; 16 do not, at twice the size.",
        "choice",
        {"8": "8 bits", "16": "16 bits"},
        _DESTINATION,
    ),
    FieldWords(
        "images.power_of_two",
        "Image files",
        "Only powers of two",
        "Others are refused, often without a word: the part stays grey.",
        "flag",
        {"true": "Sides must be powers of two: 256, 512, 1024", "false": "Any size"},
        _DESTINATION,
    ),
    FieldWords(
        "images.largest",
        "Image files",
        "Longest side",
        "Larger images are refused or shrunk carelessly; 0 is no limit.",
        "number",
        {"": "At most {value} texels a side", "none": "As large as they are"},
        _DESTINATION,
    ),
    FieldWords(
        "materials.sets",
        "Materials",
        "Images of a material",
        "Which input each channel of each image holds. An input without a channel cannot have an image.",
        "sets",
        {},
        _DESTINATION,
    ),
    FieldWords(
        "materials.inputs",
        "Materials",
        "Inputs taken as numbers",
        "What is not among them and in no image is lost. Some also multiply an image of the same input.",
        "inputs",
        {},
        _DESTINATION,
    ),
    FieldWords(
        "materials.alpha",
        "Materials",
        "See-through",
        "What it can show of what is cut out or blended.",
        "several",
        {"opaque": "solid", "mask": "cut out", "blend": "blended"},
        _DESTINATION,
    ),
    FieldWords(
        "materials.two_sided",
        "Materials",
        "Both sides",
        "Where the back of a face is not drawn, curtains and leaves have holes from behind.",
        "choice",
        {
            "flag": "When the material says so",
            "always": "Always",
            "never": "Never: backs need faces of their own",
        },
        _DESTINATION,
    ),
    FieldWords(
        "materials.vertex_color",
        "Materials",
        "Vertex colours",
        "Where they multiply in, leftover ones discolour; where they are ignored, painted ones must become images.",
        "choice",
        {"multiplies": "Multiply into the base colour", "ignored": "Have no effect"},
        _DESTINATION,
    ),
    FieldWords(
        "materials.texture_transform",
        "Materials",
        "Images moved and repeated",
        "Whether an image may have an offset, a turn and a repeat of its own.",
        "flag",
        {"true": "Images can be moved, turned and repeated", "false": "Images lie as the UVs say"},
        _DESTINATION,
    ),
    FieldWords(
        "materials.occlusion_multiplied",
        "Materials",
        "Occlusion without an input",
        "Where there is no input for it, it can be multiplied into the base colour, which also darkens direct light.",
        "flag",
        {"true": "Multiplied into the base colour", "false": "Left behind"},
        _DESTINATION,
    ),
    FieldWords(
        "lights.kinds",
        "Lights",
        "Kinds of light",
        "Others are lost or replaced.",
        "several",
        {"sun": "suns", "point": "points", "spot": "spots", "rectangle": "rectangles", "disc": "discs"},
        _DESTINATION,
    ),
    FieldWords(
        "lights.most",
        "Lights",
        "How many",
        "The strongest are carried; 0 is no limit.",
        "number",
        {"": "{value} at most", "none": "Any number"},
        _DESTINATION,
    ),
    FieldWords(
        "lights.cone",
        "Lights",
        "The edge of a spot",
        "Where one angle says all, a spot's edge is hard: its light is kept, its softness is not.",
        "choice",
        {"inner and outer": "From an inner angle to an outer one", "outer only": "One angle, hard"},
        _DESTINATION,
    ),
    FieldWords(
        "lights.sizes",
        "Lights",
        "How large lights are",
        "Suns that are seen wide and balls of light throw soft shadows; where their size is not taken, shadows arrive with hard edges.",
        "flag",
        {"true": "Taken: shadows are soft", "false": "Not taken: shadows are hard"},
        _DESTINATION,
    ),
    FieldWords(
        "lights.shadows",
        "Lights",
        "Lights without shadows",
        "Where it cannot be told, every lamp casts shadows.",
        "flag",
        {"true": "Told lamp by lamp", "false": "Cannot be told: every lamp casts shadows"},
        _DESTINATION,
    ),
    FieldWords(
        "lights.environment",
        "Lights",
        "Environment image",
        "Whether it lights by a picture of the sky.",
        "flag",
        {"true": "Taken, with its level and turn", "false": "Not taken"},
        _DESTINATION,
    ),
    FieldWords(
        "lights.backdrop",
        "Lights",
        "A backdrop of its own",
        "Whether what stands behind the subject can be another picture than the one that lights it.",
        "flag",
        {"true": "Taken, with its level and turn", "false": "Not taken: what lights is what is seen"},
        _DESTINATION,
    ),
    FieldWords(
        "structure.groups",
        "Structure",
        "Groups and pivots",
        "Without them every part stands alone, and turns about the middle of the world.",
        "flag",
        {"true": "Kept as they are", "false": "Parts stand alone, groups are lost"},
        _DESTINATION,
    ),
    FieldWords(
        "structure.instances",
        "Structure",
        "Parts that share a mesh",
        "Where each becomes a mesh of its own, memory grows and a change has to be made many times.",
        "flag",
        {"true": "Stay linked", "false": "Each gets a mesh of its own"},
        _DESTINATION,
    ),
    FieldWords(
        "structure.layers",
        "Structure",
        "Layers",
        "Sets that the source put its parts in.",
        "flag",
        {"true": "Kept by name", "false": "Not kept"},
        _DESTINATION,
    ),
    FieldWords(
        "structure.properties",
        "Structure",
        "Custom properties",
        "What others wrote on parts and materials, for tools further on.",
        "flag",
        {"true": "Ride along", "false": "Not kept"},
        _DESTINATION,
    ),
    FieldWords(
        "structure.clouds",
        "Structure",
        "Points and lines",
        "Scans, guides and wires without faces.",
        "flag",
        {"true": "Kept as points and lines", "false": "Not kept"},
        _DESTINATION,
    ),
    FieldWords(
        "structure.tangents",
        "Structure",
        "Tangents",
        "Where they are not taken, normal maps lie as the UVs say.",
        "flag",
        {"true": "Taken from the file", "false": "Made anew from the UVs"},
        _DESTINATION,
    ),
    FieldWords(
        "structure.motion",
        "Structure",
        "Motion",
        "What moves there; the rest stands still at its pose at rest.",
        "several",
        {"places": "parts that move", "skins": "skins on joints", "shapes": "shapes that change"},
        _DESTINATION,
    ),
    FieldWords(
        "structure.curves",
        "Structure",
        "Between keys",
        "Where only straight lines are known, curves become many short ones.",
        "choice",
        {"kept": "Steps, lines and curves", "straight": "Straight lines and great arcs"},
        _DESTINATION,
    ),
    FieldWords(
        "structure.frame_rate",
        "Structure",
        "Frame rate",
        "Frames a second, beside the seconds that keys are in.",
        "flag",
        {"true": "Told", "false": "Not told: keys are in seconds"},
        _DESTINATION,
    ),
    FieldWords(
        "cameras.lens",
        "Cameras",
        "Focus and f-stop",
        "Where they are not taken, everything is sharp.",
        "flag",
        {"true": "Taken: what is out of focus is soft", "false": "Not taken: everything is sharp"},
        _DESTINATION,
    ),
    FieldWords(
        "lightmaps.taken",
        "Lightmaps",
        "Light written down",
        "Whether still parts can bring the light they receive along in images.",
        "flag",
        {"true": "Taken, on a UV set of its own", "false": "Not taken: all light is computed there"},
        _DESTINATION,
    ),
    FieldWords(
        "lightmaps.encoding",
        "Lightmaps",
        "How light is stored",
        "Half floats keep all of it; RGBM keeps most at half the memory; 8 bits show steps in the dark.",
        "choice",
        {name: code.words for name, code in LIGHT_CODES.items()},
        _DESTINATION,
        {name: code.sign for name, code in LIGHT_CODES.items()},
    ),
    FieldWords(
        "lightmaps.packing",
        "Lightmaps",
        "Parts in an image",
        "One image a part costs borders and changes of image; together, one part cannot change alone.",
        "choice",
        {"together": "Many parts in few images", "one a part": "Every part has an image of its own"},
        _DESTINATION,
    ),
    FieldWords(
        "lightmaps.largest",
        "Lightmaps",
        "Largest lightmap",
        "Its longest side, a power of two.",
        "number",
        {"": "At most {value} texels a side"},
        _DESTINATION,
    ),
    FieldWords(
        "lightmaps.budget_mib",
        "Lightmaps",
        "Memory for lightmaps",
        "Texels are shared out so that all of them stay within it.",
        "number",
        {"": "{value} MiB in all"},
        _DESTINATION,
    ),
    FieldWords(
        "lightmaps.compressed",
        "Lightmaps",
        "Compressed in blocks",
        "A quarter of the memory, some steps and blocks in smooth light.",
        "flag",
        {"true": "Compressed (KTX2)", "false": "Not compressed"},
        _DESTINATION,
    ),
    FieldWords(
        "lightmaps.direction",
        "Lightmaps",
        "Where light comes from",
        "Without it relief vanishes on what is lit by images: every bump has the same light.",
        "flag",
        {
            "true": "An image beside each lightmap says it",
            "false": "Not told: light is the same for every bump",
        },
        _DESTINATION,
    ),
    FieldWords(
        "lightmaps.probes",
        "Lightmaps",
        "Light for what moves",
        "Parts that move cannot have lightmaps; where light is written down at places they pass, they fit in.",
        "flag",
        {"true": "From light written down at places", "false": "By the lamps that travel, as they are"},
        _DESTINATION,
    ),
)


def fields_of(sheet: Sheet) -> list[FieldWords]:
    """The lines that a sheet of this role has."""
    return [one for one in FIELDS if sheet.role == "both" or sheet.role in one.roles]


def value_at(sheet: Sheet, path: str) -> Any:
    """What a sheet says at a dotted path, as plain data."""
    found: Any = sheet.model_dump(mode="json")
    for key in path.split("."):
        found = found[key]
    return found


def said(sheet: Sheet, one: FieldWords) -> str:
    """A line in plain words."""
    value = value_at(sheet, one.path)
    if one.kind == "flag":
        return one.choices["true" if value else "false"]
    if one.kind == "choice":
        return one.choices[str(value)]
    if one.kind == "several":
        words = [one.choices[v] for v in value]
        return ", ".join(words).capitalize() if words else "None"
    if one.kind == "inputs":
        words = [
            INPUTS[name].label.lower() + (" (multiplies its image)" if rule["multiplies"] else "")
            for name, rule in value.items()
        ]
        return ", ".join(words).capitalize() if words else "None"
    if one.kind == "sets":
        return (
            "; ".join(
                f"{held['name']}: "
                + ", ".join(
                    f"{channel.upper()} {INPUTS[name].label.lower()}"
                    for channel, name in held["channels"].items()
                )
                for held in value
            )
            or "None"
        )
    if "none" in one.choices and not value:
        return one.choices["none"]
    shown = f"{value:g}" if isinstance(value, float | int) else str(value)
    unit = _UNITS.get(float(value), f"{value:g} m") if one.path.endswith("unit_m") else ""
    return one.choices[""].replace("{value}", shown).replace("{unit}", unit)


@dataclass(frozen=True)
class Difference:
    """A line on which two sheets do not agree."""

    field: FieldWords
    first: str
    second: str


def differences(first: Sheet, second: Sheet) -> list[Difference]:
    """Only the lines that both sheets have and that say different things."""
    shared = [one for one in fields_of(first) if one in fields_of(second)]
    return [
        Difference(one, said(first, one), said(second, one))
        for one in shared
        if value_at(first, one.path) != value_at(second, one.path)
    ]


def gloss_plot(sheet: Sheet, points: int = 25) -> list[float]:
    """Roughness over gloss from 0 to 1, as the sheet means gloss."""
    told = sheet.conventions
    return [float(v) for v in roughness_of_gloss(np.linspace(0, 1, points), told.gloss_curve, told.gloss_top)]


def known_inputs() -> list[dict[str, Any]]:
    """Name, label and number of channels of every material input, in the order they are shown."""
    return [
        {"name": name, "label": spec.label, "channels": spec.channels}
        for name, spec in sorted(INPUTS.items(), key=lambda item: ORDER[item[0]])
    ]
