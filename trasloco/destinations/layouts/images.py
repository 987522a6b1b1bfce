"""Images alone: which input of which material each is, is told by its name."""

from __future__ import annotations

import re
from collections.abc import Callable

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts.layout import Files, Layout
from trasloco.errors import Refused
from trasloco.fit.model import Carried
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.images import Image, identify
from trasloco.scene.model import AlphaMode, Declared, Input, Material, Scene, Texture
from trasloco.sheets.model import ImageSet, Sheet


def named_by(sheet: Sheet, path: str) -> tuple[str, ImageSet] | None:
    """The material, as files are named after it, and the set that a path says by a sheet's pattern; None
    where it is none of its images.
    """
    rules = sheet.images
    folder, _, name = path.rpartition("/")
    stem = name.rpartition(".")[0]
    if folder != rules.folder:
        return None
    for one in sorted(sheet.materials.sets, key=lambda s: -len(s.name)):
        wanted = re.escape(rules.pattern).replace(r"\{set\}", re.escape(one.name))
        found = re.fullmatch(wanted.replace(r"\{material\}", "(.+)"), stem)
        if found is not None:
            return found[1], one
    return None


def _write(carried: Carried, scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
    return {}


def _read(files: Files, sheet: Sheet, takes: Callable[[Image], bool]) -> Scene:
    held: dict[str, dict[str, Input]] = {}
    images: dict[str, Image] = {}
    for path, data in files.items():
        told = named_by(sheet, path)
        if told is None:
            continue
        name, one = told
        image = identify(f"image:{path}", path.rsplit("/", 1)[-1], path, data)
        images[image.id] = image
        inputs = held.setdefault(name, {})
        inputs |= {what: _input(what, channel, image, one, sheet) for channel, what in one.channels.items()}
    if not images:
        raise Refused(
            "The package has no image that is named by the sheet's pattern.",
            ", ".join(files) or "an empty package",
            "Deliver it again, or choose the sheet that it was written by.",
        )
    both = sheet.materials.two_sided == "always"
    materials = [
        Material(f"material:{name}", name, inputs, _see_through(inputs, sheet), 0.5, both)
        for name, inputs in sorted(held.items())
    ]
    return Scene(
        sheet.name,
        {},
        {},
        {m.id: m for m in materials},
        images,
        unit_m=Declared(1.0, "sheet"),
        up_axis=Declared("Y", "sheet"),
    )


def _input(name: str, channel: str, image: Image, one: ImageSet, sheet: Sheet) -> Input:
    vectors = name in VECTORS
    color = channel == "rgb" and not vectors and not image.floating
    texture = Texture(
        image.id,
        channel,
        one.encoding if color else "linear",
        wrap=("repeat", "repeat"),
        green_up=sheet.conventions.normal_green == "up" or not vectors,
    )
    factor = INPUTS[name].default if vectors else (1.0,) * INPUTS[name].channels
    return Input(factor, texture)


def _see_through(inputs: dict[str, Input], sheet: Sheet) -> AlphaMode:
    """Whatever has an opacity is cut or blended, as the destination can."""
    able = [mode for mode in ("mask", "blend") if mode in sheet.materials.alpha]
    return able[0] if "opacity" in inputs and able else "opaque"  # type: ignore[return-value]


LAYOUT = Layout("images", _write, _read)
