"""Scenes that a program may misread in every way, and strangers that do: pictures of them read otherwise,
shown by another curve, at another exposure, a little enlarged, shifted and turned, in eight bits.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from demo.shapes import Shape, ball, lathe
from tests.making import image, material, quad, scene
from trasloco.outside.bends import Bend
from trasloco.outside.registering import Alignment, Floats, laid_over
from trasloco.outside.showing import CURVES, Shown, best_shown, displayed_by
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Input, Primitive, Scene, Texture
from trasloco.scene.transforms import compose, looking

VIEW = View("Front", looking([0.4, 1.5, 4.2], [0, 0.45, 0]), 0.62)
SIDE = 256


def _part(
    shape: Shape, wears: str, sets: int = 1, colors: tuple[float, float, float] | None = None
) -> Primitive:
    uv = shape.uvs.astype(np.float32)
    other = np.ascontiguousarray(uv[:, ::-1] * np.float32(0.37))
    painted = None if colors is None else np.tile(np.float32([*colors, 1]), (len(uv), 1))
    return Primitive(
        shape.positions.astype(np.float32),
        shape.triangles.astype(np.uint32),
        shape.normals.astype(np.float32),
        None,
        (uv,) if sets == 1 else (uv, other),
        painted,
        material=wears,
    )


def _fields(seed: int) -> tuple[Floats, Floats, Floats]:
    """Colour codes, roughness and a relief's normals that are unlike upside down and mirrored, (S, S, ...)."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:SIDE, 0:SIDE] / SIDE
    waves = sum(
        np.sin(2 * np.pi * (rng.integers(1, 6) * x + rng.integers(1, 6) * y) + rng.uniform(0, 6))
        for _ in range(5)
    )
    waves = (waves - waves.min()) / np.ptp(waves)
    tilt = np.clip(0.25 + 0.55 * y, 0, 1)
    hue = rng.uniform(0.25, 0.9, 3)
    color = np.clip(hue * (0.35 + 0.65 * waves[..., None]) + 0.25 * tilt[..., None] * hue[::-1], 0, 1)
    rough = np.clip(0.12 + 0.75 * (waves > 0.5) * tilt, 0.05, 1)
    down, right = np.gradient(np.cos(2 * np.pi * (3 * y - x)) * 6)
    normal = np.stack([-right, down, np.full_like(down, 3.0)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    return tuple(np.asarray(f, np.float32) for f in (color, rough, normal * 0.5 + 0.5))  # type: ignore[return-value]


def counter(seed: int = 1) -> Scene:
    """Balls and vases on a table under a lamp and an uneven sky: images for every input, a packed one, a
    cut-out leaf that is seen from both sides, paint that is not read, two UV sets, a coat.
    """
    rng = np.random.default_rng(seed)
    images, materials = [], []

    def textured(name: str, more: dict[str, object], metal: float) -> None:
        color, rough, normal = _fields(int(rng.integers(1, 10_000)))
        packed = np.stack([np.clip(rough + 0.3, 0, 1), rough, np.full_like(rough, metal)], axis=-1)
        for kind, values in (("color", color), ("packed", packed), ("normal", normal)):
            images.append(image(f"{name} {kind}", np.round(values * 255).astype(np.uint8)))
        packs = f"image:{name} packed"
        materials.append(
            material(
                name,
                base_color=Input(
                    tuple(rng.uniform(0.45, 0.8, 3)), Texture(f"image:{name} color", "rgb", "srgb")
                ),
                roughness=Input((1.0,), Texture(packs, "g")),
                metalness=Input((1.0,), Texture(packs, "b")),
                occlusion=Input((1.0,), Texture(packs, "r")),
                normal=Input((1.0, 1.0, 1.0), Texture(f"image:{name} normal", "rgb")),
                **more,  # type: ignore[arg-type]
            )
        )

    textured("glaze", {"clearcoat": (0.8,), "clearcoat_roughness": (0.1,)}, 0.0)
    textured("metal", {}, 0.9)
    textured("table", {}, 0.0)
    leaf = np.full((SIDE, SIDE, 4), (60, 140, 50, 255), np.uint8)
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    leaf[((x // 32 + y // 32) % 2) == 0, 3] = 0
    images.append(image("leaf", leaf))
    cut = material(
        "leaf",
        base_color=Input((1.0, 1.0, 1.0), Texture("image:leaf", "rgb", "srgb")),
        opacity=Input((1.0,), Texture("image:leaf", "a")),
        roughness=(0.8,),
    )
    materials.append(replace(cut, alpha_mode="mask", double_sided=True))
    materials.append(
        material("glow", base_color=(0.1, 0.1, 0.1), emission=(0.9, 0.6, 0.3), emission_strength=(40.0,))
    )
    sky = np.zeros((32, 64, 3), np.float32)
    sky[:16] = (1.2, 1.5, 2.0)
    sky[16:] = (0.35, 0.3, 0.25)
    sky[6:11, 44:52] = 26.0
    images.append(image("sky", sky, "exr"))
    bowl = lathe([(0.28, 0.0), (0.4, 0.3), (0.36, 0.7), (0.2, 0.95)], 28)
    stand = quad(0.9, "material:leaf")
    upright = replace(
        stand,
        positions=stand.positions[:, [0, 2, 1]] * np.float32([1, -1, 1]),
        normals=np.tile(np.float32([0, 0, -1]), (4, 1)),
        indices=stand.indices[:, ::-1].copy(),
    )
    parts = (
        _part(ball(0.5), "material:glaze", 2, (0.3, 0.8, 0.9)),
        _part(bowl, "material:metal"),
        replace(quad(5.0, "material:table"), colors=None),
        upright,
        _part(ball(0.12), "material:glow"),
    )
    given = scene(
        *parts,
        materials=tuple(materials),
        images=tuple(images),
        names=("Ball", "Bowl", "Table", "Leaf", "Glow"),
        environment=Environment("image:sky", 1.0),
        lights=(
            (Light("light:lamp", "Lamp", "point", intensity=34.0, radius_m=0.05), compose((1.4, 2.4, 1.6))),
        ),
    )
    places = {
        "Ball": (-0.75, 0.5, 0),
        "Bowl": (0.55, 0, -0.2),
        "Leaf": (0.1, 0.5, 0.75),
        "Glow": (1.2, 0.12, 0.5),
    }
    nodes = {
        id: replace(n, matrix=compose(places[n.name])) if n.name in places else n
        for id, n in given.nodes.items()
    }
    return replace(given, nodes=nodes)


def picture_of(scene: Scene, bends: tuple[Bend, ...], seed: int, view: View = VIEW) -> Floats:
    """What a stranger shows of a scene that it reads in some other ways: display light (H, W, 3)."""
    rng = np.random.default_rng(seed)
    for bend in bends:
        bent = bend.bend(scene)
        assert bent is not None, bend.key
        scene = bent
    made = render(flatten(scene), view, Quality(240, 135, 20, 3, seed=1000 + seed))
    on_scene = made.ids[..., 0] >= 0
    curve = sorted(CURVES)[int(rng.integers(len(CURVES)))]
    middle = np.full((int(on_scene.sum()), 3), 0.22, np.float32)
    stops = best_shown(made.radiance[on_scene], middle, (curve,)).stops + float(rng.uniform(-0.7, 0.7))
    shown = displayed_by(made.radiance, Shown(curve, stops))
    shown = np.where(on_scene[..., None], shown, np.float32(rng.uniform(0.02, 0.2))).astype(np.float32)
    scale, angle, right, down = (float(rng.uniform(-a, a)) for a in (0.06, 0.01, 4, 3))
    over, _ = laid_over(shown, Alignment(1 + scale, angle, right, down))
    codes = np.round(np.clip(linear_to_srgb(over) * 255 + rng.uniform(-0.5, 0.5, over.shape), 0, 255))
    return np.asarray(srgb_to_linear(codes / 255), np.float32)
