"""A material input, a decision, a check with its mend, an encoding of light and a layout that Trasloco does
not have, each as a newcomer would write it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np

DIM_ABOVE_CD = 10.0
NOTE = "note.txt"
EXTENSION = "TEATRINO_materials_wetness"


def register() -> None:
    """Everything that was written, put where its kind is listed."""
    _input()
    _light_code()
    _decision()
    _check()
    _layout()


def _input() -> None:
    """A row."""
    from trasloco.inputs.rows import ROWS
    from trasloco.inputs.spec import InGltf, InNames, InputSpec

    ROWS.append(
        InputSpec(
            "wetness",
            "Wetness",
            1,
            (0.0,),
            share=True,
            gltf=InGltf(EXTENSION, "wetnessFactor", "wetnessTexture", "r"),
            names=InNames("wetness wetmap"),
        )
    )


def _light_code() -> None:
    """An encoding."""
    from trasloco.light_codes.code import LightCode, unit
    from trasloco.light_codes.codes import LIGHT_CODES

    LIGHT_CODES["eighth root"] = LightCode(
        "eighth root",
        "As the eighth root, 8 bits a channel",
        "8 8 8",
        4,
        "png",
        color=False,
        blocks=False,
        encode=lambda share: np.round(share ** (1 / 8) * 255).astype(np.uint8),
        decode=lambda texels: unit(texels[..., :3]) ** 8,
    )


def _decision() -> None:
    """A class, in a file of its theme."""
    from tests.grown import dimming
    from trasloco.decisions.themes import THEMES

    THEMES.append(dimming)


def _check() -> None:
    """A generator of findings, whose mend is the decision."""
    from trasloco.inventory.checks import STRUCTURE
    from trasloco.inventory.context import Context
    from trasloco.scene.findings import Finding, Mend
    from trasloco.scene.model import Decision

    def glaring(context: Context) -> Iterator[Finding]:
        for light in context.scene.lights.values():
            if light.kind == "point" and light.intensity > DIM_ABOVE_CD:
                yield Finding(
                    f"glaring:{light.id}",
                    "glaring",
                    "It glares",
                    light.name,
                    "The first row looks right into it.",
                    (light.id,),
                    30,
                    {"intensity": light.intensity},
                    (Mend("Turn it down to a tenth", (Decision(light.id, "dimmed", 0.1),)),),
                )

    STRUCTURE.append(glaring)


def _layout() -> None:
    """A layout: what it leaves a sheet no choice about, and how it is written and read."""
    from trasloco.destinations import layouts
    from trasloco.destinations.layouts.glb import LAYOUT as GLB
    from trasloco.destinations.layouts.layout import Files, Layout
    from trasloco.sheets import layouts as rules
    from trasloco.sheets.layouts.facts import Fault, LayoutFacts
    from trasloco.sheets.layouts.gltf_geometry import faults_of_geometry

    def write(carried: Any, scene: Any, sheet: Any) -> dict[str, bytes]:
        slots = "\n".join(material.name for material in scene.materials.values())
        return {**GLB.write(carried, scene, sheet), NOTE: f"Slots of {scene.name}:\n{slots}\n".encode()}

    def read(files: Files, sheet: Any, takes: Callable[[Any], bool]) -> Any:
        scene = GLB.read(files, sheet, takes)
        told = files[NOTE].decode().splitlines()[1:]
        kept = {id: m for id, m in scene.materials.items() if m.name in told}
        return replace(scene, materials=kept)

    def faults(sheet: Any) -> Iterator[Fault]:
        yield from faults_of_geometry(sheet)
        if sheet.images.kind == "jpg":
            yield "images.kind", "The note has no place for JPEG."

    layouts.LAYOUTS["glb and note"] = Layout("glb and note", write, read, beside=False)
    rules.LAYOUTS["glb and note"] = LayoutFacts("glb and note", "gltf", faults)
