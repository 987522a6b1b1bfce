"""What every verb makes of every delivery, held as it is: ``python -m tests.held record`` writes it down, the
tests compare.

Words and counts are held exactly, numbers to a thousandth, so that another processor's last digits are no
change. ``held.json`` changes only in a commit that says why.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from trasloco import move
from trasloco.formats.bundle import gather
from trasloco.scene.geometry import face_vectors, transform_points
from trasloco.scene.images import Image, identify, pixels, unit_floats
from trasloco.scene.model import Decision, Input, Scene
from trasloco.sheets.library import built_in_sheets

HELD = Path(__file__).with_name("held.json")
SMALL = ("puppet.ply", "winch.obj", "trunk-and-images.zip", "everything 1", "everything 2", "everything 3")
LARGE = (
    "teatrino.glb",
    "teatrino-received.zip",
    "teatrino-stage.glb",
    "teatrino-collada.zip",
    "teatrino.usdz",
)
SOURCES = {"puppet.ply": "bottega", "winch.obj": "bottega", "teatrino-received.zip": "bottega"}
LISTS = ("nothing decided", "first mends taken")


def delivered(name: str, folder: Path) -> tuple[Scene, Any]:
    """A delivery's scene as received, and what was received (None for a generated one)."""
    if name.startswith("everything"):
        from tests.everything import everything

        return everything(name), None
    path = next(path for path in (folder / name, folder / "samples" / name) if path.exists())
    received = move.receive(gather([path]))
    return received.scene, received


def held_of(name: str, folder: Path) -> Iterator[tuple[str, dict[str, Any]]]:
    """What is made of one delivery, by destination and list of decisions."""
    sheets = built_in_sheets()
    source = sheets[SOURCES.get(name, "plain")]
    scene, received = delivered(name, folder)
    for destination in (sheet for sheet in sheets.values() if sheet.role == "destination"):
        found = move.survey(received, source, destination) if received is not None else []
        lists = {
            LISTS[0]: [],
            LISTS[1]: [d for finding in found if finding.mends for d in finding.mends[0].decisions],
        }
        for words, decisions in lists.items():
            if decisions or words == LISTS[0]:
                yield (
                    f"{name} to {destination.name}, {words}",
                    _made(scene, found, source, destination, decisions),
                )


def _made(
    scene: Scene, found: list[Any], source: Any, destination: Any, decisions: list[Decision]
) -> dict[str, Any]:
    reference = move.mend(scene, source, decisions)
    carried = move.carry(reference, move.plan(reference, source, destination, decisions), destination)
    package = move.package(carried, destination)
    arrival = move.arrive(package, destination)
    accounts = move.account(reference, arrival, carried.plan, destination)
    return {
        "findings": sorted(f"{f.kind}: {len(f.targets)}" for f in found),
        "reference": scene_print(reference),
        "plan": {
            c.id: [
                c.mark,
                c.landing.input,
                c.landing.image,
                c.landing.channel,
                [float(v) for v in c.landing.value],
                [s.text for s in c.steps],
            ]
            for c in carried.plan.crossings
        },
        "package": {path: _file(path, data) for path, data in package.files.items()},
        "arrival": scene_print(arrival),
        "accounts": dict(accounts.counted()),
    }


def scene_print(scene: Scene) -> dict[str, Any]:
    """A scene in a few words and numbers for everything it holds."""
    world = scene.world_matrices()
    parts = {}
    for part in scene.parts():
        primitives = scene.meshes[part.mesh or ""].primitives
        points = [transform_points(world[part.id], p.positions) for p in primitives]
        area = sum(
            float(np.linalg.norm(face_vectors(q, p.indices), axis=1).sum() / 2)
            for q, p in zip(points, primitives, strict=True)
        )
        middle = np.concatenate(points).mean(axis=0) if points else np.zeros(3)
        spread = [float(np.abs(u).mean()) for p in primitives for u in p.uvs if len(u)] + [
            float(p.colors.mean()) for p in primitives if p.colors is not None and len(p.colors)
        ]
        parts[part.name] = [
            sum(len(p.indices) for p in primitives),
            area,
            *(float(v) for v in middle),
            *spread,
        ]
    materials = {
        m.name: {
            "mode": m.alpha_mode,
            "sides": m.double_sided,
            **{k: _input(i, scene) for k, i in m.inputs.items()},
        }
        for m in scene.materials.values()
    }
    lights = [[light.kind, light.intensity, *light.color] for light in scene.lights.values()]
    return {
        "parts": parts,
        "materials": materials,
        "lights": lights,
        "clips": {c.name: len(c.channels) for c in scene.clips.values()},
        "skins": len(scene.skins),
        "cameras": len(scene.cameras),
        "clouds": len(scene.clouds),
    }


def _input(given: Input, scene: Scene) -> list[Any]:
    texture = given.texture
    factor = [min(float(v), 1e9) for v in given.factor]
    if texture is None:
        return [*factor, given.vertex_color]
    image = scene.images.get(texture.image)
    return [
        *factor,
        given.vertex_color,
        texture.channels,
        texture.encoding,
        texture.uv_set,
        texture.invert,
        texture.green_up,
        texture.strength,
        *texture.offset,
        *texture.scale,
        *(_image(image) if image is not None and image.usable else ["no image"]),
    ]


def _image(image: Image) -> list[Any]:
    texels = unit_floats(pixels(image))
    return [
        image.width,
        image.height,
        image.depth,
        *(float(v) for v in texels.reshape(-1, texels.shape[-1]).mean(axis=0)),
    ]


def _file(path: str, data: bytes) -> list[Any]:
    if path.endswith((".png", ".jpg", ".exr", ".ktx2")):
        return _image(identify("image:x", path, path, data))
    return ["bytes", float(len(data))]


def differences(held: Any, now: Any, at: str = "") -> Iterator[str]:
    """Where two differ: words exactly, numbers by more than a thousandth, sizes of files by more than a
    hundredth.
    """
    if isinstance(held, dict) and isinstance(now, dict):
        for key in {**held, **now}:
            yield from differences(held.get(key, "nothing"), now.get(key, "nothing"), f"{at}/{key}")
    elif isinstance(held, list) and isinstance(now, list) and len(held) == len(now):
        loose = held[:1] == ["bytes"]
        for k, (a, b) in enumerate(zip(held, now, strict=True)):
            if loose and k == 1:
                if abs(a - b) > 0.01 * max(a, b):
                    yield f"{at}: {a} bytes, now {b}"
            else:
                yield from differences(a, b, f"{at}[{k}]")
    elif (
        isinstance(held, float | int)
        and isinstance(now, float | int)
        and not isinstance(held, bool)
        and not isinstance(now, bool)
    ):
        if abs(held - now) > 1e-3 * max(1.0, abs(held)):
            yield f"{at}: {held}, now {now}"
    elif held != now:
        yield f"{at}: {held!r}, now {now!r}"


def main() -> int:
    """``record`` writes down what is made now, ``compare`` tells what changed since."""
    act, folder = sys.argv[1], Path(sys.argv[2])
    now = {what: made for name in (*SMALL, *LARGE) for what, made in held_of(name, folder)}
    if act == "record":
        lines = ",\n".join(
            f"{json.dumps(what)}: {json.dumps(_rounded(made), sort_keys=True)}"
            for what, made in sorted(now.items())
        )
        HELD.write_text(f"{{\n{lines}\n}}\n")
        return 0
    told = list(differences(json.loads(HELD.read_text()), now))
    print("\n".join(told[:200]) or "as it was")
    return 1 if told else 0


def _rounded(value: Any) -> Any:
    if isinstance(value, float):
        return float(f"{value:.5g}")
    if isinstance(value, dict):
        return {k: _rounded(v) for k, v in value.items()}
    return [_rounded(v) for v in value] if isinstance(value, list) else value


if __name__ == "__main__":
    sys.exit(main())
