"""Clean scenes of six shapes, and faults planted in them at random strengths and places: what recall is
measured with.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from tests.fault_scene import Random, encoded_normals, primitive_of, relief_heights, sheet_of
from tests.image_faults import (
    alpha_empty,
    alpha_left,
    close_ids,
    drifted,
    glossy_read,
    green_turned,
    imaged,
    leftover_tint,
    read_otherwise,
)
from tests.making import image
from tests.planting import Fault, Planted, scene_changed, some_closed_part, some_part, some_patch
from trasloco.mends.faces import turned
from trasloco.mends.own_meshes import picked
from trasloco.scene.geometry import pieces
from trasloco.scene.images import missing_image
from trasloco.scene.model import Channel, Clip, Mesh, Node, Primitive, Scene, Skin
from trasloco.scene.tangent_frames import tangents
from trasloco.scene.transforms import compose, looking


def faces_away(scene: Scene, rng: Random) -> Planted:
    return scene_changed(
        scene, some_closed_part(scene, rng), lambda p: turned(p, np.ones(len(p.indices), bool))
    )


def mixed_winding(scene: Scene, rng: Random) -> Planted:
    return scene_changed(scene, some_part(scene, rng), lambda p: turned(p, some_patch(p, rng, 0.3)))


def degenerate(scene: Scene, rng: Random) -> Planted:
    def change(p: Primitive) -> Primitive:
        extra = p.indices[rng.integers(len(p.indices), size=int(rng.integers(1, 12)))].copy()
        extra[:, 2] = extra[:, 1]
        return replace(p, indices=np.concatenate([p.indices, extra]))

    return scene_changed(scene, some_part(scene, rng), change)


def overlap(scene: Scene, rng: Random) -> Planted:
    return scene_changed(
        scene,
        some_part(scene, rng),
        lambda p: replace(p, indices=np.concatenate([p.indices, p.indices[some_patch(p, rng, 0.2)]])),
    )


def holes(scene: Scene, rng: Random) -> Planted:
    """Up to three in a hundred of one piece's faces taken out; more is an opening that somebody may have
    meant.
    """

    def change(p: Primitive) -> Primitive:
        own = pieces(p.positions, p.indices)
        piece = own == own[int(rng.integers(len(own)))]
        gone = np.zeros(len(own), bool)
        gone[np.flatnonzero(piece)[some_patch(replace(p, indices=p.indices[piece]), rng, 0.03)]] = True
        return picked(p, ~gone)

    return scene_changed(scene, some_closed_part(scene, rng), change)


def seen_from_behind(scene: Scene, rng: Random) -> Planted:
    sheet = primitive_of(sheet_of(0.8, 1.2, 0.04, rng), "material:Lone")
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
    return scene_changed(scene, some_part(scene, rng), lambda p: replace(p, uvs=()))


def uv_distant(scene: Scene, rng: Random) -> Planted:
    return scene_changed(
        scene,
        some_part(scene, rng),
        lambda p: replace(p, uvs=(p.uvs[0] + np.float32(rng.uniform(70, 5000)),)),
    )


def uv_outside(scene: Scene, rng: Random) -> Planted:
    return scene_changed(
        scene,
        some_part(scene, rng),
        lambda p: replace(p, uvs=(p.uvs[0], p.uvs[0] + np.float32(rng.uniform(0.3, 2)))),
    )


def uv_squashed(scene: Scene, rng: Random) -> Planted:
    def change(p: Primitive) -> Primitive:
        uv = p.uvs[0].copy()
        at = np.unique(p.indices[some_patch(p, rng, 0.5) | (np.arange(len(p.indices)) % 4 == 0)])
        uv[at, 1] = 0.5
        return replace(p, uvs=(uv,))

    return scene_changed(scene, some_part(scene, rng), change)


def uv_overlap(scene: Scene, rng: Random) -> Planted:
    """A second set folded over its middle: a sheet that does not overlap by itself does so then."""

    def change(p: Primitive) -> Primitive:
        low, span = p.uvs[0].min(axis=0), np.maximum(np.ptp(p.uvs[0], axis=0), 1e-6)
        unit = (p.uvs[0] - low) / span
        folded = np.stack([np.abs(unit[:, 0] - 0.5), unit[:, 1]], axis=1) * rng.uniform(0.2, 1)
        return replace(p, uvs=(p.uvs[0], folded.astype(np.float32)))

    return scene_changed(scene, some_part(scene, rng), change)


def missing_normals(scene: Scene, rng: Random) -> Planted:
    return scene_changed(scene, some_part(scene, rng), lambda p: replace(p, normals=None))


def normals_away(scene: Scene, rng: Random) -> Planted:
    def change(p: Primitive) -> Primitive:
        assert p.normals is not None
        normals = p.normals.copy()
        at = np.unique(p.indices[some_patch(p, rng, 0.4)])
        normals[at] *= -1
        return replace(p, normals=normals)

    return scene_changed(scene, some_part(scene, rng), change)


def short_normals(scene: Scene, rng: Random) -> Planted:
    def change(p: Primitive) -> Primitive:
        assert p.normals is not None
        normals = p.normals.copy()
        normals[rng.integers(len(normals), size=int(rng.integers(1, 20)))] = 0
        return replace(p, normals=normals)

    return scene_changed(scene, some_part(scene, rng), change)


def mixed_tangents(scene: Scene, rng: Random) -> Planted:
    part = scene.parts()[1]

    def change(p: Primitive) -> Primitive:
        assert p.normals is not None
        return replace(p, tangents=tangents(p.positions, p.normals, p.uvs[0], p.indices))

    return Planted(scene_changed(scene, part, change).scene, ("material:Wood",))


def _moved(scene: Scene, part: Node, matrix: np.ndarray) -> Planted:
    return Planted(
        replace(scene, nodes={**scene.nodes, part.id: replace(part, matrix=part.matrix @ matrix)}), (part.id,)
    )


def mirrored(scene: Scene, rng: Random) -> Planted:
    return _moved(
        scene, some_part(scene, rng), np.diag([*np.where(np.arange(3) == rng.integers(3), -1.0, 1.0), 1.0])
    )


def uneven(scene: Scene, rng: Random) -> Planted:
    scale = np.ones(3)
    scale[int(rng.integers(3))] = rng.uniform(1.05, 4)
    return _moved(scene, some_part(scene, rng), np.diag([*scale, 1.0]))


def far_pivot(scene: Scene, rng: Random) -> Planted:
    part = some_part(scene, rng)
    shift = rng.uniform(8, 60, 3)
    planted = scene_changed(
        scene, part, lambda p: replace(p, positions=(p.positions + shift).astype(np.float32))
    )
    return _moved(planted.scene, part, compose(-shift))


def far_from_origin(scene: Scene, rng: Random) -> Planted:
    far = compose(rng.uniform(400, 90_000, 3))
    return Planted(
        replace(scene, nodes={k: replace(n, matrix=far @ n.matrix) for k, n in scene.nodes.items()}), ()
    )


def duplicate(scene: Scene, rng: Random) -> Planted:
    part = some_part(scene, rng)
    copy = replace(
        part, id="part:Other", name="Other", matrix=compose(rng.uniform(-0.004, 0.004, 3)) @ part.matrix
    )
    return Planted(replace(scene, nodes={**scene.nodes, copy.id: copy}), (copy.id,))


def stray(scene: Scene, rng: Random) -> Planted:
    part = some_part(scene, rng)
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


def skin_weights(scene: Scene, rng: Random) -> Planted:
    part = some_part(scene, rng)
    skin = Skin("skin:s", "s", ("part:Anvil", "part:Bellows"), np.tile(np.eye(4), (2, 1, 1)))

    def change(p: Primitive) -> Primitive:
        weights = np.tile(np.array([1, 0, 0, 0], np.float32), (len(p.positions), 1))
        weights[rng.integers(len(weights), size=int(rng.integers(1, 30))), 0] = rng.uniform(0.2, 0.9)
        return replace(p, joints=np.zeros((len(p.positions), 4), np.uint16), weights=weights)

    planted = scene_changed(scene, part, change)
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
    "missing_image": imaged(
        "wood_color", lambda s, r: missing_image("image:wood_color", "wood_color.png", "maps/wood_color.png")
    ),
    "unreadable_image": imaged(
        "wood_color",
        lambda s, r: replace(
            s.images["image:wood_color"],
            data=s.images["image:wood_color"].data[:40],
            problem="The file cannot be decoded; it may be cut short.",
        ),
    ),
    "wrong_extension": imaged(
        "wood_color",
        lambda s, r: replace(
            s.images["image:wood_color"], name=f"wood_color.{r.choice(['jpg', 'tga', 'tif', 'exr'])}"
        ),
    ),
    "refused_size": imaged(
        "wood_color",
        lambda s, r: image(
            "wood_color",
            np.full((int(r.integers(65, 127)), 256, 3), 100, np.uint8)
            + (np.arange(256) % 50).astype(np.uint8)[None, :, None],
        ),
    ),
    "height_as_normal": imaged(
        "wood_normal",
        lambda s, r: image(
            "wood_normal", np.repeat((relief_heights(r) * 255)[..., None], 3, axis=-1).astype(np.uint8)
        ),
    ),
    "not_normals": imaged(
        "wood_normal", lambda s, r: image("wood_normal", r.integers(0, 255, (64, 64, 3)).astype(np.uint8))
    ),
    "normal_as_color": imaged(
        "wood_color", lambda s, r: image("wood_color", encoded_normals(relief_heights(r), 30))
    ),
    "normal_as_height": imaged(
        "wood_height", lambda s, r: image("wood_height", encoded_normals(relief_heights(r), 30))
    ),
    "data_as_color": read_otherwise("material:Wood", "roughness", encoding="srgb"),
    "color_as_data": read_otherwise("material:Wood", "base_color", encoding="linear"),
    "green_direction": green_turned,
    "gloss_or_roughness": glossy_read,
    "half_metal": imaged(
        "wood_metalness",
        lambda s, r: image("wood_metalness", r.integers(60, 200, (64, 64, 1)).astype(np.uint8)),
    ),
    "too_light": imaged(
        "wood_color", lambda s, r: image("wood_color", r.integers(248, 256, (64, 64, 3)).astype(np.uint8))
    ),
    "too_dark": imaged(
        "wood_color", lambda s, r: image("wood_color", r.integers(0, 12, (64, 64, 3)).astype(np.uint8))
    ),
    "empty_alpha": alpha_empty,
    "unused_alpha": imaged("wood_color", alpha_left(lambda r: np.where(relief_heights(r) > 0.5, 255, 0))),
    "unused_soft_alpha": imaged("wood_color", alpha_left(lambda r: relief_heights(r) * 255)),
    "stepped_height": imaged(
        "wood_height",
        lambda s, r: image(
            "wood_height",
            (np.floor(relief_heights(r) * 0.999 * (n := int(r.integers(4, 40)))) / n * 255)[..., None].astype(
                np.uint8
            ),
        ),
    ),
    "drifting_maps": drifted,
    "leftover_tint": leftover_tint,
    "close_ids": close_ids,
    "skin_weights": skin_weights,
    "broken_keys": broken_keys,
}
