"""Clean scenes of six shapes, and faults planted in them at random strengths and places: what recall is
measured with.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import trimesh

from tests.making import DECLARED, image, material
from trasloco.mends.faces import turned, with_normals
from trasloco.mends.own_meshes import picked
from trasloco.scene.geometry import pieces, tangents
from trasloco.scene.images import missing_image, pixels
from trasloco.scene.model import Camera, Channel, Clip, Declared, Mesh, Node, Primitive, Scene, Skin, Texture
from trasloco.scene.transforms import compose, looking

Random = np.random.Generator


def _primitive(mesh: Any, material_id: str, hard: float = 0.6) -> Primitive:
    """A trimesh as a primitive with box-projected UVs and normals."""
    made = with_normals(
        Primitive(mesh.vertices.astype(np.float32), mesh.faces.astype(np.uint32), material=material_id), hard
    )
    assert made.normals is not None
    axis = np.abs(made.normals).argmax(axis=1)
    low, span = mesh.vertices.min(axis=0), max(float(np.ptp(mesh.vertices, axis=0).max()), 1e-9)
    p = (made.positions - low) / span * 0.9 + 0.05
    uv = np.stack(
        [np.where(axis == 0, p[:, 2], p[:, 0]), np.where(axis == 1, p[:, 2], p[:, 1])], axis=1
    ).astype(np.float32)
    return replace(made, uvs=(uv + made.positions[:, :1] * 0.013 + made.positions[:, 2:] * 0.017,))


def _sheet(width: float, height: float, wave: float, rng: Random) -> Any:
    u, v = np.meshgrid(np.linspace(-0.5, 0.5, 16), np.linspace(0, 1, 12))
    points = np.stack(
        [u.ravel() * width, v.ravel() * height, wave * np.sin(u.ravel() * 9 + float(rng.random()))], axis=1
    )
    k = np.arange(11)[:, None] * 16 + np.arange(15)
    a, b, c, d = k.ravel(), k.ravel() + 1, k.ravel() + 16, k.ravel() + 17
    return trimesh.Trimesh(
        points, np.concatenate([np.stack([a, b, d], 1), np.stack([a, d, c], 1)]), process=False
    )


def _shapes(kind: str, rng: Random) -> list[Any]:
    """Meshes of one scene, standing apart."""
    found: list[Any] = []
    for k in range(6):
        size = float(rng.uniform(0.3, 0.8))
        if kind == "boxes":
            mesh = trimesh.creation.box(rng.uniform(0.3, 0.9, 3)).subdivide()
        elif kind == "balls":
            mesh = trimesh.creation.icosphere(subdivisions=2, radius=size / 2)
        elif kind == "rings":
            mesh = trimesh.creation.torus(size * 0.4, size * 0.12, major_sections=24, minor_sections=12)
        elif kind == "rods":
            mesh = trimesh.creation.capsule(size, 0.12, count=[12, 12])
        elif kind == "shells":
            inner = trimesh.creation.icosphere(subdivisions=2, radius=size * 0.3)
            mesh = trimesh.util.concatenate(
                [trimesh.creation.icosphere(subdivisions=2, radius=size * 0.5), inner]
            )
        else:
            mesh = (
                _sheet(size, size * 1.4, 0.05, rng)
                if k % 2
                else trimesh.creation.cone(size * 0.4, size, sections=24)
            )
        mesh.apply_translation([(k % 3) * 1.7, size, (k // 3) * 1.9])
        found.append(mesh)
    return found


SHAPES = ("boxes", "balls", "rings", "rods", "shells", "sheets")
_NAMES = ("Anvil", "Bellows", "Crown", "Drum", "Easel", "Fiddle")


def _relief(rng: Random, side: int = 256) -> np.ndarray:
    """A periodic height field in [0, 1] of waves in all directions."""
    x, y = np.meshgrid(np.arange(side) / side, np.arange(side) / side)
    total = np.zeros((side, side))
    for _ in range(24):
        fx, fy = rng.integers(-9, 10, 2)
        total += rng.normal() * np.sin(2 * np.pi * (fx * x + fy * y + rng.random()))
    return np.asarray((total - total.min()) / np.ptp(total))


def _normals(height: np.ndarray, depth: float) -> np.ndarray:
    """8-bit normal map, green up, of a height field whose rows run down."""
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2 * depth
    dy = -(np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2 * depth
    n = np.stack([-dx, -dy, np.ones_like(dx)], axis=-1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    return np.asarray(np.round((n * 0.5 + 0.5) * 255), np.uint8)


def clean_scene(kind: str, seed: int) -> Scene:
    """Six parts of one shape with two materials: images that are what they say, green up."""
    rng = np.random.default_rng([seed, SHAPES.index(kind)])
    height = _relief(rng)
    color = np.stack([60 + 120 * height, 50 + 90 * height, 40 + 60 * height], axis=-1).astype(np.uint8)
    rough = (90 + 130 * (1 - height))[..., None].astype(np.uint8)
    metal = np.where(height > 0.6, 255, 0)[..., None].astype(np.uint8)
    images = (
        image("wood_color", color),
        image("wood_roughness", rough),
        image("wood_normal", _normals(height, 30)),
        image("wood_metalness", metal),
        image("wood_height", (height * 65535)[..., None].astype(np.uint16)),
        image("wood_occlusion", (120 + 135 * height)[..., None].astype(np.uint8)),
    )
    sides = kind == "sheets"
    wood = replace(
        material(
            "Wood",
            base_color=Texture("image:wood_color", "rgb", "srgb"),
            roughness=Texture("image:wood_roughness", "r"),
            normal=Texture("image:wood_normal"),
            metalness=Texture("image:wood_metalness", "r"),
            occlusion=Texture("image:wood_occlusion", "r"),
        ),
        double_sided=sides,
    )
    clay = replace(
        material(
            "Clay",
            base_color=Texture("image:wood_color", "rgb", "srgb"),
            height=Texture("image:wood_height", "r"),
        ),
        double_sided=sides,
    )
    nodes, meshes = {}, {}
    for k, mesh in enumerate(_shapes(kind, rng)):
        name = _NAMES[k]
        primitive = _primitive(mesh, "material:Wood" if k % 2 else "material:Clay")
        middle = primitive.positions.mean(axis=0)
        nodes[f"part:{name}"] = Node(f"part:{name}", name, None, compose(middle), mesh=f"mesh:{name}")
        meshes[f"mesh:{name}"] = Mesh(
            f"mesh:{name}", name, (replace(primitive, positions=primitive.positions - middle),)
        )
    nodes["part:View"] = Node(
        "part:View", "View", None, looking((2.0, 2.5, 7.0), (1.7, 0.5, 0.9)), camera="camera:View"
    )
    return Scene(
        kind,
        nodes,
        meshes,
        {m.id: m for m in (wood, clay)},
        {i.id: i for i in images},
        cameras={"camera:View": Camera("camera:View", "View", 0.8)},
        unit_m=Declared(1.0, "file"),
        up_axis=Declared("Y", "file"),
        declares=DECLARED,
    )


@dataclass(frozen=True)
class Planted:
    """A scene with one fault, and the ids one of which its finding must name (none: any finding of the kind
    counts).
    """

    scene: Scene
    targets: tuple[str, ...]


Fault = Callable[[Scene, Random], Planted]


def _part(scene: Scene, rng: Random) -> Node:
    return scene.parts()[int(rng.integers(len(scene.parts())))]


def _changed(scene: Scene, part: Node, change: Callable[[Primitive], Primitive]) -> Planted:
    mesh = scene.meshes[part.mesh or ""]
    return Planted(
        replace(
            scene,
            meshes={
                **scene.meshes,
                mesh.id: replace(mesh, primitives=tuple(change(p) for p in mesh.primitives)),
            },
        ),
        (part.id,),
    )


def _patch(p: Primitive, rng: Random, most: float) -> np.ndarray:
    """A connected patch of faces around a random one."""
    centers = p.positions[p.indices].mean(axis=1)
    start = centers[int(rng.integers(len(centers)))]
    count = max(1, int(len(centers) * rng.uniform(0.005, most)))
    mask = np.zeros(len(centers), bool)
    mask[np.linalg.norm(centers - start, axis=1).argsort()[:count]] = True
    return mask


def _closed_part(scene: Scene, rng: Random) -> Node:
    parts = [p for k, p in enumerate(scene.parts()) if scene.name != "sheets" or k % 2 == 0]
    return parts[int(rng.integers(len(parts)))]


def faces_away(scene: Scene, rng: Random) -> Planted:
    return _changed(scene, _closed_part(scene, rng), lambda p: turned(p, np.ones(len(p.indices), bool)))


def mixed_winding(scene: Scene, rng: Random) -> Planted:
    return _changed(scene, _part(scene, rng), lambda p: turned(p, _patch(p, rng, 0.3)))


def degenerate(scene: Scene, rng: Random) -> Planted:
    def change(p: Primitive) -> Primitive:
        extra = p.indices[rng.integers(len(p.indices), size=int(rng.integers(1, 12)))].copy()
        extra[:, 2] = extra[:, 1]
        return replace(p, indices=np.concatenate([p.indices, extra]))

    return _changed(scene, _part(scene, rng), change)


def overlap(scene: Scene, rng: Random) -> Planted:
    return _changed(
        scene,
        _part(scene, rng),
        lambda p: replace(p, indices=np.concatenate([p.indices, p.indices[_patch(p, rng, 0.2)]])),
    )


def holes(scene: Scene, rng: Random) -> Planted:
    """Up to three in a hundred of one piece's faces taken out; more is an opening that somebody may have
    meant.
    """

    def change(p: Primitive) -> Primitive:
        own = pieces(p.positions, p.indices)
        piece = own == own[int(rng.integers(len(own)))]
        gone = np.zeros(len(own), bool)
        gone[np.flatnonzero(piece)[_patch(replace(p, indices=p.indices[piece]), rng, 0.03)]] = True
        return picked(p, ~gone)

    return _changed(scene, _closed_part(scene, rng), change)


def seen_from_behind(scene: Scene, rng: Random) -> Planted:
    sheet = _primitive(_sheet(0.8, 1.2, 0.04, rng), "material:Lone")
    toward = looking((float(rng.uniform(0, 3)), 0.4, 3.0), (float(rng.uniform(1, 3)), 1.0, 9.0))
    lone = replace(scene.materials["material:Clay"], id="material:Lone", name="Lone", double_sided=False)
    away = (
        turned(sheet, np.ones(len(sheet.indices), bool))
        if (toward[:3, 2] @ np.array([0, 0, 1])) > 0
        else sheet
    )
    node = Node("part:Banner", "Banner", None, toward, mesh="mesh:Banner")
    return Planted(
        replace(
            scene,
            nodes={**scene.nodes, node.id: node},
            meshes={**scene.meshes, "mesh:Banner": Mesh("mesh:Banner", "Banner", (away,))},
            materials={**scene.materials, lone.id: lone},
        ),
        (node.id,),
    )


def missing_uvs(scene: Scene, rng: Random) -> Planted:
    return _changed(scene, _part(scene, rng), lambda p: replace(p, uvs=()))


def uv_distant(scene: Scene, rng: Random) -> Planted:
    return _changed(
        scene, _part(scene, rng), lambda p: replace(p, uvs=(p.uvs[0] + np.float32(rng.uniform(70, 5000)),))
    )


def uv_outside(scene: Scene, rng: Random) -> Planted:
    return _changed(
        scene,
        _part(scene, rng),
        lambda p: replace(p, uvs=(p.uvs[0], p.uvs[0] + np.float32(rng.uniform(0.3, 2)))),
    )


def uv_squashed(scene: Scene, rng: Random) -> Planted:
    def change(p: Primitive) -> Primitive:
        uv = p.uvs[0].copy()
        at = np.unique(p.indices[_patch(p, rng, 0.5) | (np.arange(len(p.indices)) % 4 == 0)])
        uv[at, 1] = 0.5
        return replace(p, uvs=(uv,))

    return _changed(scene, _part(scene, rng), change)


def uv_overlap(scene: Scene, rng: Random) -> Planted:
    """A second set folded over its middle: a sheet that does not overlap by itself does so then."""

    def change(p: Primitive) -> Primitive:
        low, span = p.uvs[0].min(axis=0), np.maximum(np.ptp(p.uvs[0], axis=0), 1e-6)
        unit = (p.uvs[0] - low) / span
        folded = np.stack([np.abs(unit[:, 0] - 0.5), unit[:, 1]], axis=1) * rng.uniform(0.2, 1)
        return replace(p, uvs=(p.uvs[0], folded.astype(np.float32)))

    return _changed(scene, _part(scene, rng), change)


def missing_normals(scene: Scene, rng: Random) -> Planted:
    return _changed(scene, _part(scene, rng), lambda p: replace(p, normals=None))


def normals_away(scene: Scene, rng: Random) -> Planted:
    def change(p: Primitive) -> Primitive:
        assert p.normals is not None
        normals = p.normals.copy()
        at = np.unique(p.indices[_patch(p, rng, 0.4)])
        normals[at] *= -1
        return replace(p, normals=normals)

    return _changed(scene, _part(scene, rng), change)


def short_normals(scene: Scene, rng: Random) -> Planted:
    def change(p: Primitive) -> Primitive:
        assert p.normals is not None
        normals = p.normals.copy()
        normals[rng.integers(len(normals), size=int(rng.integers(1, 20)))] = 0
        return replace(p, normals=normals)

    return _changed(scene, _part(scene, rng), change)


def mixed_tangents(scene: Scene, rng: Random) -> Planted:
    part = scene.parts()[1]

    def change(p: Primitive) -> Primitive:
        assert p.normals is not None
        return replace(p, tangents=tangents(p.positions, p.normals, p.uvs[0], p.indices))

    return Planted(_changed(scene, part, change).scene, ("material:Wood",))


def _moved(scene: Scene, part: Node, matrix: np.ndarray) -> Planted:
    return Planted(
        replace(scene, nodes={**scene.nodes, part.id: replace(part, matrix=part.matrix @ matrix)}), (part.id,)
    )


def mirrored(scene: Scene, rng: Random) -> Planted:
    return _moved(
        scene, _part(scene, rng), np.diag([*np.where(np.arange(3) == rng.integers(3), -1.0, 1.0), 1.0])
    )


def uneven(scene: Scene, rng: Random) -> Planted:
    scale = np.ones(3)
    scale[int(rng.integers(3))] = rng.uniform(1.05, 4)
    return _moved(scene, _part(scene, rng), np.diag([*scale, 1.0]))


def far_pivot(scene: Scene, rng: Random) -> Planted:
    part = _part(scene, rng)
    shift = rng.uniform(8, 60, 3)
    planted = _changed(scene, part, lambda p: replace(p, positions=(p.positions + shift).astype(np.float32)))
    return _moved(planted.scene, part, compose(-shift))


def far_from_origin(scene: Scene, rng: Random) -> Planted:
    far = compose(rng.uniform(400, 90_000, 3))
    return Planted(
        replace(scene, nodes={k: replace(n, matrix=far @ n.matrix) for k, n in scene.nodes.items()}), ()
    )


def duplicate(scene: Scene, rng: Random) -> Planted:
    part = _part(scene, rng)
    copy = replace(
        part, id="part:Other", name="Other", matrix=compose(rng.uniform(-0.004, 0.004, 3)) @ part.matrix
    )
    return Planted(replace(scene, nodes={**scene.nodes, copy.id: copy}), (copy.id,))


def stray(scene: Scene, rng: Random) -> Planted:
    part = _part(scene, rng)
    name = str(rng.choice(["stand-in 2", "helper 3", "dummy", "reference figure", "old Crown", "temp"]))
    return Planted(replace(scene, nodes={**scene.nodes, part.id: replace(part, name=name)}), (part.id,))


def _named(new: Callable[[str, Random], str]) -> Fault:
    def plant(scene: Scene, rng: Random) -> Planted:
        part = scene.parts()[int(rng.integers(1, 6))]
        return Planted(
            replace(
                scene, nodes={**scene.nodes, part.id: replace(part, name=new(scene.parts()[0].name, rng))}
            ),
            (part.id,),
        )

    return plant


def _imaged(name: str, change: Callable[[Scene, Random], Any], *targets: str) -> Fault:
    """A fault of the image ``image:name``, replaced by what ``change`` makes."""

    def plant(scene: Scene, rng: Random) -> Planted:
        made = replace(change(scene, rng), id=f"image:{name}")
        return Planted(replace(scene, images={**scene.images, made.id: made}), targets or (made.id,))

    return plant


def _read(material_id: str, input_name: str, **fields: Any) -> Fault:
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


def _green(scene: Scene, rng: Random) -> Planted:
    flipped = _normals(_relief(rng), float(rng.uniform(6, 60)))
    flipped[..., 1] = 255 - flipped[..., 1]
    made = image("wood_normal", flipped)
    return Planted(replace(scene, images={**scene.images, made.id: made}), (made.id,))


def _glossy(scene: Scene, rng: Random) -> Planted:
    held = scene.images["image:wood_roughness"]
    made = replace(
        image("wood_roughness", 255 - pixels(held)),
        name=str(
            rng.choice(["wood_gloss.png", "wood-Glossiness.png", "WoodSmoothness.png", "wood.smooth.png"])
        ),
    )
    return Planted(replace(scene, images={**scene.images, held.id: made}), (held.id,))


def _alpha(values: Callable[[Random], np.ndarray]) -> Callable[[Scene, Random], Any]:
    def make(scene: Scene, rng: Random) -> Any:
        color = np.full((256, 256, 3), 120, np.uint8) + (np.arange(256) % 60).astype(np.uint8)[None, :, None]
        return image("wood_color", np.concatenate([color, values(rng)[..., None].astype(np.uint8)], axis=-1))

    return make


def _empty_alpha(scene: Scene, rng: Random) -> Planted:
    made = _alpha(lambda r: np.full((256, 256), 255))(scene, rng)
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
    return _changed(
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

    return _changed(scene, _part(scene, rng), change)


def skin_weights(scene: Scene, rng: Random) -> Planted:
    part = _part(scene, rng)
    skin = Skin("skin:s", "s", ("part:Anvil", "part:Bellows"), np.tile(np.eye(4), (2, 1, 1)))

    def change(p: Primitive) -> Primitive:
        weights = np.tile(np.array([1, 0, 0, 0], np.float32), (len(p.positions), 1))
        weights[rng.integers(len(weights), size=int(rng.integers(1, 30))), 0] = rng.uniform(0.2, 0.9)
        return replace(p, joints=np.zeros((len(p.positions), 4), np.uint16), weights=weights)

    planted = _changed(scene, part, change)
    return Planted(
        replace(
            planted.scene,
            skins={skin.id: skin},
            nodes={**planted.scene.nodes, part.id: replace(part, skin=skin.id)},
        ),
        (part.id,),
    )


def broken_keys(scene: Scene, rng: Random) -> Planted:
    values = np.zeros((4, 3), np.float32)
    times = np.array([0, 1, 2, 3], np.float32)
    if rng.random() < 0.5:
        values[int(rng.integers(4)), int(rng.integers(3))] = np.nan
    else:
        times[2] = times[1] - float(rng.random())
    return Planted(
        replace(
            scene,
            clips={"clip:c": Clip("clip:c", "c", (Channel("part:Anvil", "translation", times, values),))},
        ),
        ("part:Anvil",),
    )


def _drifted(scene: Scene, rng: Random) -> Planted:
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


FAULTS: dict[str, Fault] = {
    "faces_away": faces_away,
    "mixed_winding": mixed_winding,
    "degenerate": degenerate,
    "overlap": overlap,
    "holes": holes,
    "seen_from_behind": seen_from_behind,
    "missing_uvs": missing_uvs,
    "uv_distant": uv_distant,
    "uv_outside": uv_outside,
    "uv_squashed": uv_squashed,
    "uv_overlap": uv_overlap,
    "missing_normals": missing_normals,
    "normals_away": normals_away,
    "short_normals": short_normals,
    "mixed_tangents": mixed_tangents,
    "mirrored": mirrored,
    "uneven": uneven,
    "far_pivot": far_pivot,
    "far_from_origin": far_from_origin,
    "duplicate": duplicate,
    "stray": stray,
    "automatic_names": _named(
        lambda n, r: (
            f"{r.choice(['mesh', 'Object', 'piece', 'node'])}{r.choice(['', '.', '-', '_'])}{int(r.integers(1, 9999)):03d}"
        )
    ),
    "double_names": _named(lambda n, r: n),
    "case_names": _named(lambda n, r: n.upper()),
    "illegal_names": _named(lambda n, r: n + "x" + str(r.choice(list(':/\\|?*<>"'))) + "2"),
    "long_names": _named(lambda n, r: n + "x" * int(r.integers(60, 300))),
    "missing_image": _imaged(
        "wood_color", lambda s, r: missing_image("image:wood_color", "wood_color.png", "maps/wood_color.png")
    ),
    "unreadable_image": _imaged(
        "wood_color",
        lambda s, r: replace(
            s.images["image:wood_color"],
            data=s.images["image:wood_color"].data[:40],
            problem="The file cannot be decoded; it may be cut short.",
        ),
    ),
    "wrong_extension": _imaged(
        "wood_color",
        lambda s, r: replace(
            s.images["image:wood_color"], name=f"wood_color.{r.choice(['jpg', 'tga', 'tif', 'exr'])}"
        ),
    ),
    "refused_size": _imaged(
        "wood_color",
        lambda s, r: image(
            "wood_color",
            np.full((int(r.integers(65, 127)), 256, 3), 100, np.uint8)
            + (np.arange(256) % 50).astype(np.uint8)[None, :, None],
        ),
    ),
    "height_as_normal": _imaged(
        "wood_normal",
        lambda s, r: image(
            "wood_normal", np.repeat((_relief(r) * 255)[..., None], 3, axis=-1).astype(np.uint8)
        ),
    ),
    "not_normals": _imaged(
        "wood_normal", lambda s, r: image("wood_normal", r.integers(0, 255, (64, 64, 3)).astype(np.uint8))
    ),
    "normal_as_color": _imaged("wood_color", lambda s, r: image("wood_color", _normals(_relief(r), 30))),
    "normal_as_height": _imaged("wood_height", lambda s, r: image("wood_height", _normals(_relief(r), 30))),
    "data_as_color": _read("material:Wood", "roughness", encoding="srgb"),
    "color_as_data": _read("material:Wood", "base_color", encoding="linear"),
    "green_direction": _green,
    "gloss_or_roughness": _glossy,
    "half_metal": _imaged(
        "wood_metalness",
        lambda s, r: image("wood_metalness", r.integers(60, 200, (64, 64, 1)).astype(np.uint8)),
    ),
    "too_light": _imaged(
        "wood_color", lambda s, r: image("wood_color", r.integers(248, 256, (64, 64, 3)).astype(np.uint8))
    ),
    "too_dark": _imaged(
        "wood_color", lambda s, r: image("wood_color", r.integers(0, 12, (64, 64, 3)).astype(np.uint8))
    ),
    "empty_alpha": _empty_alpha,
    "unused_alpha": _imaged("wood_color", _alpha(lambda r: np.where(_relief(r) > 0.5, 255, 0))),
    "unused_soft_alpha": _imaged("wood_color", _alpha(lambda r: _relief(r) * 255)),
    "stepped_height": _imaged(
        "wood_height",
        lambda s, r: image(
            "wood_height",
            (np.floor(_relief(r) * 0.999 * (n := int(r.integers(4, 40)))) / n * 255)[..., None].astype(
                np.uint8
            ),
        ),
    ),
    "drifting_maps": _drifted,
    "leftover_tint": leftover_tint,
    "close_ids": close_ids,
    "skin_weights": skin_weights,
    "broken_keys": broken_keys,
}
