"""Faults of images and colours."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from tests.fault_scene import Random, encoded_normals, relief_heights
from tests.making import image
from tests.planting import Fault, Planted, scene_changed, some_part
from trasloco.scene.images import pixels
from trasloco.scene.model import Primitive, Scene, Texture


def imaged(name: str, change: Callable[[Scene, Random], Any], *targets: str) -> Fault:
    """A fault of the image ``image:name``, replaced by what ``change`` makes."""

    def plant(scene: Scene, rng: Random) -> Planted:
        made = replace(change(scene, rng), id=f"image:{name}")
        return Planted(replace(scene, images={**scene.images, made.id: made}), targets or (made.id,))

    return plant


def read_otherwise(material_id: str, input_name: str, **fields: Any) -> Fault:
    def plant(scene: Scene, rng: Random) -> Planted:
        held = scene.materials[material_id]
        given = held.inputs[input_name]
        assert given.texture is not None
        return Planted(
            scene.with_material(
                replace(
                    held,
                    inputs={
                        **held.inputs,
                        input_name: replace(given, texture=replace(given.texture, **fields)),
                    },
                )
            ),
            (given.texture.image,),
        )

    return plant


def green_turned(scene: Scene, rng: Random) -> Planted:
    flipped = encoded_normals(relief_heights(rng), float(rng.uniform(6, 60)))
    flipped[..., 1] = 255 - flipped[..., 1]
    made = image("wood_normal", flipped)
    return Planted(replace(scene, images={**scene.images, made.id: made}), (made.id,))


def glossy_read(scene: Scene, rng: Random) -> Planted:
    held = scene.images["image:wood_roughness"]
    made = replace(
        image("wood_roughness", 255 - pixels(held)),
        name=str(
            rng.choice(["wood_gloss.png", "wood-Glossiness.png", "WoodSmoothness.png", "wood.smooth.png"])
        ),
    )
    return Planted(replace(scene, images={**scene.images, held.id: made}), (held.id,))


def alpha_left(values: Callable[[Random], np.ndarray]) -> Callable[[Scene, Random], Any]:
    def make(scene: Scene, rng: Random) -> Any:
        color = np.full((256, 256, 3), 120, np.uint8) + (np.arange(256) % 60).astype(np.uint8)[None, :, None]
        return image("wood_color", np.concatenate([color, values(rng)[..., None].astype(np.uint8)], axis=-1))

    return make


def alpha_empty(scene: Scene, rng: Random) -> Planted:
    made = alpha_left(lambda r: np.full((256, 256), 255))(scene, rng)
    wood = scene.materials["material:Wood"]
    opaque = replace(
        wood,
        alpha_mode=str(rng.choice(["mask", "blend"])),
        inputs={
            **wood.inputs,
            "opacity": replace(wood.inputs["roughness"], texture=Texture("image:wood_color", "a")),
        },
    )  # type: ignore[arg-type]
    return Planted(replace(scene, images={**scene.images, made.id: made}).with_material(opaque), (made.id,))


def leftover_tint(scene: Scene, rng: Random) -> Planted:
    tint = rng.uniform(0.1, 0.9, 3)
    wood = scene.materials["material:Wood"]
    colored = scene.with_material(
        replace(
            wood, inputs={**wood.inputs, "base_color": replace(wood.inputs["base_color"], vertex_color=True)}
        )
    )
    return scene_changed(
        colored,
        scene.parts()[1],
        lambda p: replace(p, colors=np.tile(np.array([*tint, 1], np.float32), (len(p.positions), 1))),
    )


def close_ids(scene: Scene, rng: Random) -> Planted:
    base = rng.uniform(0.2, 0.8, 3)
    near = np.clip(base + rng.uniform(-0.012, 0.012, 3) + 0.008, 0, 1)

    def change(p: Primitive) -> Primitive:
        flat = p.indices.reshape(-1)
        half = np.arange(len(p.indices)) < len(p.indices) // 2
        colors = np.where(np.repeat(half, 3)[:, None], base, near)
        return replace(
            p,
            positions=p.positions[flat],
            indices=np.arange(len(flat), dtype=np.uint32).reshape(-1, 3),
            normals=None if p.normals is None else p.normals[flat],
            uvs=tuple(u[flat] for u in p.uvs),
            colors=np.concatenate([colors, np.ones((len(flat), 1))], axis=1).astype(np.float32),
        )

    return scene_changed(scene, some_part(scene, rng), change)


def drifted(scene: Scene, rng: Random) -> Planted:
    name = str(rng.choice(["roughness", "normal", "metalness", "occlusion"]))
    wood = scene.materials["material:Wood"]
    given = wood.inputs[name]
    assert given.texture is not None
    moved: dict[str, Any] = {
        "scale": {"scale": (float(rng.uniform(1.1, 4)), 1.0)},
        "offset": {"offset": (0.0, float(rng.uniform(0.01, 0.9)))},
        "turn": {"rotation_rad": float(rng.uniform(0.05, 3))},
    }[str(rng.choice(["scale", "offset", "turn"]))]
    return Planted(
        scene.with_material(
            replace(
                wood, inputs={**wood.inputs, name: replace(given, texture=replace(given.texture, **moved))}
            )
        ),
        ("material:Wood",),
    )
