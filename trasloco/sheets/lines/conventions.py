"""How numbers are meant: space, surfaces, meshes."""

from __future__ import annotations

from trasloco.sheets.lines.line import DESTINATION, SOURCE, Line

LINES = (
    Line(
        "conventions.up_axis",
        "Space",
        "Which way is up",
        "Wrong, and the scene lies on its side.",
        "choice",
        {"Y": "Y points up", "Z": "Z points up, the ground is X and Y", "X": "X points up"},
    ),
    Line(
        "conventions.unit_m",
        "Space",
        "Size of one unit",
        "Metres a unit. Wrong by a hundred is the usual case: a stage the size of a matchbox.",
        "number",
        {"": "One unit is {unit}"},
    ),
    Line(
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
    Line(
        "conventions.shininess",
        "Surface",
        "How shininess is told",
        "Gloss read as roughness turns wax into lacquer and lacquer into chalk.",
        "choice",
        {"roughness": "By roughness: white is dull", "gloss": "By gloss: white is shiny"},
        SOURCE,
    ),
    Line(
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
        SOURCE,
    ),
    Line(
        "conventions.gloss_top",
        "Surface",
        "Exponent of full gloss",
        "What white stands for, where gloss is an exponent.",
        "number",
        {"": "White stands for an exponent of {value}"},
        SOURCE,
    ),
    Line(
        "conventions.tint",
        "Surface",
        "A tint beside an image",
        "Whether the number beside an image counts. Where it does, a carrier that takes only the image loses the tint.",
        "choice",
        {
            "multiplies the image": "Tint and image are multiplied",
            "replaced by the image": "The image alone counts",
        },
        SOURCE,
    ),
    Line(
        "conventions.vertex_color",
        "Surface",
        "Vertex colours at the source",
        "Where the source passes over them, what it shows is without them; a destination that multiplies them in would discolour everything.",
        "choice",
        {"multiplies": "Multiply into the base colour", "ignored": "Have no effect"},
        SOURCE,
    ),
    Line(
        "conventions.vertex_color_encoding",
        "Surface",
        "Vertex colours are stored",
        "Picked on screen or as light: the wrong one makes them too dark or too pale.",
        "choice",
        {"linear": "As amounts of light", "srgb": "As picked on a screen (sRGB)"},
        SOURCE,
    ),
    Line(
        "conventions.ids_by_vertex_color",
        "Surface",
        "Flat vertex colours are IDs",
        "Whether a piece of one flat colour says which material it is of.",
        "flag",
        {"true": "They mark which pieces are one material", "false": "They are paint"},
        SOURCE,
    ),
    Line(
        "geometry.most_triangles",
        "Meshes",
        "Triangles of one part",
        "Heavier parts are reduced on the way, borders held and the distance measured; 0 is no limit.",
        "number",
        {"": "At most {value}", "none": "Any number"},
        DESTINATION,
    ),
)
