"""As what a package is written."""

from __future__ import annotations

from trasloco.sheets.lines.line import DESTINATION, Line

LINES = (
    Line(
        "package.form",
        "Package",
        "Written as",
        "The same scene in another of its open forms: one file that is quickly read, or files that a person can open.",
        "choice",
        {
            "usual": "The form that the layout has by itself",
            "glb": "One binary file (.glb)",
            "gltf": "Text with a binary and images beside it (.gltf, .bin)",
            "gltf embedded": "Text with everything written into it (.gltf)",
            "usdc": "A binary layer (.usdc)",
            "usda": "A layer as text (.usda)",
            "usd layers": "A root above layers for geometry, looks and lights (.usda, .usdc)",
            "usdz": "One package with everything in it (.usdz)",
            "collada": "A COLLADA 1.4 document (.dae)",
            "collada 1.5": "A COLLADA 1.5 document (.dae)",
            "zae": "A COLLADA 1.5 document with its images in one archive (.zae)",
            "obj": "Text with a material file that has the physical statements (.obj, .mtl)",
            "obj classic": "Text with a material file of the classic statements only (.obj, .mtl)",
            "ply": "Binary points and faces (.ply)",
            "ply text": "Points and faces as text (.ply)",
            "stl": "Binary facets (.stl)",
            "stl text": "Facets as text (.stl)",
        },
        DESTINATION,
    ),
    Line(
        "package.files",
        "Package",
        "Files of geometry",
        "One file is handed on more easily; one for each part is loaded and replaced by itself.",
        "choice",
        {"one": "Everything in one file", "one a part": "A file for each part, by its name"},
        DESTINATION,
    ),
    Line(
        "package.table",
        "Package",
        "A table of materials beside it",
        "For a program or a person that assigns images by hand: a row for every input of every material.",
        "choice",
        {"none": "None", "csv": "As CSV", "json": "As JSON"},
        DESTINATION,
    ),
    Line(
        "package.columns",
        "Package",
        "Its columns",
        "What each row of that table tells.",
        "several",
        {
            "material": "material",
            "input": "input",
            "value": "number",
            "image": "image",
            "channel": "channel",
            "uv set": "UV set",
            "strength": "strength",
            "see-through": "see-through",
            "two-sided": "two-sided",
            "parts": "parts",
        },
        DESTINATION,
    ),
)
