"""A plain table of materials beside a package, for programs that read none of its formats: a row for every
input, with the columns that the sheet asks for.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable

from trasloco.at_rest import Bytes
from trasloco.inputs.table import ORDER
from trasloco.scene.model import Input, Material, Scene
from trasloco.sheets.model import Sheet

Cell = Callable[[Scene, Material, str, Input], object]


def material_table(scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
    """The table of a delivered scene by its path; nothing where the sheet asks for none."""
    asked = sheet.package
    if asked.table == "none":
        return {}
    rows = [
        {column: _CELLS[column](scene, material, name, given) for column in asked.columns}
        for material in scene.materials.values()
        for name, given in sorted(material.inputs.items(), key=lambda item: ORDER[item[0]])
    ]
    if asked.table == "json":
        return {"material-table.json": (json.dumps(rows, indent=1) + "\n").encode()}
    out = io.StringIO()
    writer = csv.DictWriter(out, asked.columns, lineterminator="\n")
    writer.writeheader()
    writer.writerows([{column: _flat(value) for column, value in row.items()} for row in rows])
    return {"material-table.csv": out.getvalue().encode()}


def _flat(value: object) -> object:
    return " ".join(f"{v:.9g}" for v in value) if isinstance(value, list) else value


def _image(scene: Scene, material: Material, name: str, given: Input) -> str:
    image = scene.images.get(given.texture.image) if given.texture is not None else None
    return image.path if image is not None else ""


def _parts(scene: Scene, material: Material, name: str, given: Input) -> list[str]:
    return [
        part.name
        for part in scene.parts()
        if any(p.material == material.id for p in scene.meshes[part.mesh or ""].primitives)
    ]


_CELLS: dict[str, Cell] = {
    "material": lambda scene, material, name, given: material.name,
    "input": lambda scene, material, name, given: name,
    "value": lambda scene, material, name, given: [float(v) for v in given.factor],
    "image": _image,
    "channel": lambda scene, material, name, given: given.texture.channels if given.texture else "",
    "uv set": lambda scene, material, name, given: given.texture.uv_set if given.texture else "",
    "strength": lambda scene, material, name, given: given.texture.strength if given.texture else "",
    "see-through": lambda scene, material, name, given: material.alpha_mode,
    "two-sided": lambda scene, material, name, given: material.double_sided,
    "parts": lambda scene, material, name, given: "; ".join(_parts(scene, material, name, given)),
}
