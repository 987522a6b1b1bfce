"""Generated scenes with everything in them that the neutral scene can hold: what the books are tried on."""

from __future__ import annotations

import random
from dataclasses import replace
from typing import Any

import numpy as np

from tests.making import DECLARED, image, noise_image
from tests.shapes import shapes_on
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.lit import Backdrop, Camera, Environment, Light
from trasloco.scene.model import (
    Channel,
    Clip,
    Cloud,
    Declared,
    Input,
    Material,
    Mesh,
    MorphTarget,
    Node,
    Primitive,
    Scene,
    Skin,
    Tags,
    Texture,
)
from trasloco.scene.tangent_frames import tangents
from trasloco.scene.transforms import compose

RANGES = {
    "ior": (1.0, 2.4),
    "attenuation_distance": (0.1, 3.0),
    "emission_strength": (1.0, 40.0),
    "iridescence_ior": (1.1, 2.0),
    "iridescence_thickness": (100.0, 800.0),
    "subsurface_radius": (0.001, 0.1),
    "thickness": (0.001, 0.1),
    "transmission_scatter_anisotropy": (-0.9, 0.9),
}
_CORE = ("base_color", "metalness", "roughness")
_WORDS = (
    "Trunk",
    "Lid",
    "Curtain",
    "Wing flat",
    "Footlight",
    "Candle",
    "Laurel",
    "Puppet",
    "Winch",
    "Board",
    "Trap door",
    "Rod",
)
FEATURES = (
    "plain",
    "plain",
    "tinted",
    "inverted",
    "channel",
    "deep",
    "odd",
    "green down",
    "placed",
    "clamped",
    "second set",
)


def everything(seed: int | str) -> Scene:
    """A scene of some groups, parts, materials, lamps, cameras and clips, with every kind of thing in some of
    them.
    """
    return shapes_on(_Maker(random.Random(str(seed))).scene(), random.Random(f"{seed} at rest"))


class _Maker:
    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.numbers = np.random.default_rng(rng.randrange(2**31))
        self.images: dict[str, Any] = {}
        self.nodes: dict[str, Node] = {}
        self.meshes: dict[str, Mesh] = {}
        self.skins: dict[str, Skin] = {}

    def scene(self) -> Scene:
        rng = self.rng
        self.materials = {m.id: m for m in (self.material(k) for k in range(rng.randint(1, 3)))}
        if rng.random() < 0.3:
            first, *rest = self.materials.values()
            if rest:
                self.materials[first.id] = replace(first, back=rest[0].id)
        self.tree()
        lights = self.lights()
        cameras = self.cameras()
        clips = self.clips()
        environment = backdrop = None
        if rng.random() < 0.6:
            sky = image("sky", self.numbers.uniform(0, 2, (4, 8, 3)).astype(np.float32), "exr")
            self.images[sky.id] = sky
            environment = Environment(sky.id, rng.choice((1.0, 250.0)), rng.choice((0.0, 1.1)))
        if rng.random() < 0.3:
            behind = image("behind", self.numbers.uniform(0, 1, (4, 8, 3)).astype(np.float32), "exr")
            self.images[behind.id] = behind
            backdrop = Backdrop(behind.id, 2.0, 0.4)
        clouds = self.clouds()
        return Scene(
            "travelling stage",
            self.nodes,
            self.meshes,
            self.materials,
            self.images,
            lights,
            cameras,
            self.skins,
            clips,
            environment,
            Declared(1.0, "file"),
            Declared("Y", "file"),
            DECLARED,
            payload={"extras": {"made": "by hand"}} if rng.random() < 0.4 else {},
            backdrop=backdrop,
            frame_rate=rng.choice((None, 24.0, 23.976, 30.0)),
            clouds=clouds,
        )

    def clouds(self) -> dict[str, Cloud]:
        """Points or lines on a place of their own, in some scenes."""
        made: dict[str, Cloud] = {}
        numbers = np.random.default_rng(self.rng.randrange(2**31))
        if numbers.random() < 0.25:
            count = int(numbers.integers(2, 9))
            lines = (
                numbers.integers(0, count, (3, 2)).astype(np.uint32)
                if numbers.random() < 0.5
                else np.zeros((0, 2), np.uint32)
            )
            colors = numbers.uniform(0, 1, (count, 4)).astype(np.float32) if numbers.random() < 0.5 else None
            made["cloud:scan"] = Cloud(
                "cloud:scan", "Scan", numbers.normal(size=(count, 3)).astype(np.float32), lines, colors
            )
            self.nodes["part:scan"] = Node(
                "part:scan", "Scan", None, compose((0.5, 0, float(numbers.normal()))), cloud="cloud:scan"
            )
        return made

    def material(self, k: int) -> Material:
        rng = self.rng
        names = [*_CORE, *rng.sample([n for n in INPUTS if n not in _CORE], rng.randint(0, 5))]
        if "normal" in names and "height" in names:
            names.remove("height")
        inputs = {name: self.input(name, f"{name}{k}") for name in names}
        if rng.random() < 0.4:
            inputs["base_color"] = replace(inputs["base_color"], vertex_color=True)
        mode = rng.choice(("opaque", "mask", "blend")) if "opacity" in inputs else "opaque"
        name = rng.choice(("Lacquer", "Lacquer", "Velvet", "w x", "w-x", "Wax")) + (
            "" if rng.random() < 0.5 else f" {k}"
        )
        payload = {"extras": {"shop": "Bottega", "number": k}} if rng.random() < 0.3 else {}
        cutoff = rng.choice((0.5, 0.3))
        return Material(
            f"material:{k}",
            name,
            inputs,
            mode,
            cutoff,
            rng.random() < 0.4,
            rng.random() < 0.05,
            None,
            payload,
        )  # type: ignore[arg-type]

    def input(self, name: str, label: str) -> Input:
        rng, spec = self.rng, INPUTS[name]
        low, high = RANGES.get(name, (0.05, 0.95))
        factor = tuple(round(rng.uniform(low, high), 3) for _ in range(spec.channels))
        pictured = (
            name in VECTORS
            or name == "height"
            or (
                rng.random() < 0.5
                and name not in RANGES
                and name not in ("attenuation_color", "dispersion", "anisotropy_rotation")
            )
        )
        if not pictured:
            return Input(factor)
        feature = rng.choice(FEATURES)
        channels = 4 if feature == "channel" else 3
        size = (12, 20) if feature == "odd" else (8, 8)
        depth = np.uint16 if feature == "deep" else np.uint8
        picture = noise_image(label, *size, channels, depth, seed=rng.randrange(99))
        self.images[picture.id] = picture
        letter = rng.choice("rgba") if feature == "channel" else "r"
        texture = Texture(
            picture.id,
            "rgb" if spec.channels == 3 else letter,
            "srgb" if spec.color and feature != "deep" else "linear",
        )
        if feature == "placed":
            texture = replace(texture, offset=(0.25, -0.5), rotation_rad=0.4, scale=(2.0, 3.0))
        elif feature == "clamped":
            texture = replace(texture, wrap=rng.choice((("clamp", "repeat"), ("mirror", "clamp"))))
        elif feature == "second set":
            texture = replace(texture, uv_set=1)
        if name in VECTORS:
            texture = replace(texture, green_up=feature != "green down", strength=rng.choice((1.0, 0.5, 1.7)))
        elif name == "height":
            texture = replace(texture, strength=0.02, invert=feature == "inverted")
        elif name == "occlusion":
            texture = replace(texture, strength=rng.choice((1.0, 0.6)))
        elif feature == "inverted" and spec.channels == 1:
            texture = replace(texture, invert=True)
        ones = spec.default if name in VECTORS else (1.0,) * spec.channels
        return Input(
            factor if feature == "tinted" and name not in VECTORS and name != "height" else ones, texture
        )

    def matrix(self) -> Any:
        rng = self.rng
        turn = self.numbers.normal(size=4)
        scale = (1.0, 1.0, 1.0) if rng.random() < 0.6 else tuple(rng.uniform(0.5, 2) for _ in range(3))
        if rng.random() < 0.15:
            scale = (-scale[0], scale[1], scale[2])
        return compose(tuple(rng.uniform(-3, 3) for _ in range(3)), tuple(turn), scale)

    def node(self, name: str, parent: str | None, **held: Any) -> Node:
        rng = self.rng
        id = f"part:{len(self.nodes)}"
        tags = Tags("wood", "hull", True, None) if rng.random() < 0.15 else Tags()
        layers = tuple(rng.sample(("Front", "Back stage"), rng.randint(1, 2))) if rng.random() < 0.2 else ()
        payload = {"extras": {"number": len(self.nodes), "who": ["a", "b"]}} if rng.random() < 0.2 else {}
        self.nodes[id] = Node(
            id, name, parent, self.matrix(), tags=tags, layers=layers, payload=payload, **held
        )
        return self.nodes[id]

    def tree(self) -> None:
        rng = self.rng
        groups: list[str | None] = [None]
        for _ in range(rng.randint(0, 3)):
            groups.append(self.node(rng.choice(("Wings", "Front", "Wings")), rng.choice(groups)).id)
        self.meshes = {m.id: m for m in (self.mesh(k) for k in range(rng.randint(1, 4)))}
        for mesh in self.meshes.values():
            for _ in range(2 if rng.random() < 0.3 else 1):
                self.node(rng.choice(_WORDS), rng.choice(groups), mesh=mesh.id)
        if rng.random() < 0.35:
            self.rig(rng.choice(groups))

    def mesh(self, k: int) -> Mesh:
        rng = self.rng
        names = tuple(f"Shape {n}" for n in range(2)) if rng.random() < 0.25 else ()
        slots = rng.randint(1, 3)
        primitives = tuple(self.primitive(names) for _ in range(slots))
        payload = {"extras": {"length": 2.5}} if rng.random() < 0.2 else {}
        return Mesh(f"mesh:{k}", f"{rng.choice(_WORDS)} mesh", primitives, names, payload)

    def primitive(self, shapes: tuple[str, ...]) -> Primitive:
        rng, numbers = self.rng, self.numbers
        across = rng.randint(2, 4)
        x, y = np.meshgrid(np.linspace(-1, 1, across), np.linspace(-1, 1, across))
        positions = (
            np.stack([x, numbers.uniform(-0.1, 0.1, x.shape), y], axis=-1).reshape(-1, 3).astype(np.float32)
        )
        count = len(positions)
        at = (np.arange(across - 1)[:, None] * across + np.arange(across - 1)).ravel()
        indices = np.concatenate(
            [np.stack([at, at + across, at + 1], 1), np.stack([at + 1, at + across, at + across + 1], 1)]
        ).astype(np.uint32)
        uv = ((positions[:, [0, 2]] + 1) / 2).astype(np.float32)
        normals = None
        if rng.random() < 0.85:
            tilted = numbers.normal(0, 0.1, (count, 3)) + np.array([0, 1, 0])
            normals = (tilted / np.linalg.norm(tilted, axis=1, keepdims=True)).astype(np.float32)
        uvs = (uv, (uv * 0.5 + 0.25).astype(np.float32))
        made = None
        if normals is not None and rng.random() < 0.3:
            made = tangents(positions, normals, uv, indices)
        colors = None
        if rng.random() < 0.35:
            colors = numbers.uniform(0, 1, (count, 4)).astype(np.float32)
            if rng.random() < 0.5:
                colors[:, 3] = 1
        morphs = tuple(MorphTarget(numbers.normal(0, 0.1, (count, 3)).astype(np.float32)) for _ in shapes)
        return Primitive(
            positions,
            indices,
            normals,
            made,
            uvs,
            colors,
            morphs=morphs,
            material=rng.choice(list(self.materials)),
        )

    def rig(self, parent: str | None) -> None:
        """A skinned strip on two joints, the second carrying a rod."""
        root = self.node("root", parent)
        tip = self.node("tip", root.id)
        rod = self.mesh(len(self.meshes))
        self.meshes[rod.id] = rod
        self.node("Held rod", tip.id, mesh=rod.id)
        world = Scene("", self.nodes).world_matrices()
        inverse = np.array([np.linalg.inv(world[root.id]), np.linalg.inv(world[tip.id])])
        self.skins["skin:0"] = Skin("skin:0", "Bones", (root.id, tip.id), inverse)
        plain = self.primitive(())
        count = len(plain.positions)
        joints = np.tile(np.array([0, 1, 0, 0], np.uint16), (count, 1))
        share = self.numbers.uniform(0, 1, (count, 1))
        weights = np.concatenate([share, 1 - share, np.zeros((count, 2))], axis=1).astype(np.float32)
        mesh = Mesh(f"mesh:{len(self.meshes)}", "Sleeve", (replace(plain, joints=joints, weights=weights),))
        self.meshes[mesh.id] = mesh
        self.node("Sleeve", None, mesh=mesh.id, skin="skin:0")

    def lights(self) -> dict[str, Light]:
        rng = self.rng
        made = {}
        for k in range(rng.randint(0, 4)):
            kind = rng.choice(("sun", "point", "spot", "rectangle", "disc"))
            color = tuple(round(rng.uniform(0.3, 1), 3) for _ in range(3))
            inner = round(rng.uniform(0, 0.5), 3)
            light = Light(
                f"light:{k}",
                rng.choice(("Lamp", "Lamp", "Lantern")),
                kind,
                color,
                round(rng.uniform(1, 500), 2),
                inner,
                round(inner + rng.uniform(0.01, 0.6), 3),  # type: ignore[arg-type]
                rng.random() < 0.8,
                rng.random() < 0.9,
                angle_rad=0.02 if kind == "sun" and rng.random() < 0.5 else 0.0,
                width_m=0.4,
                height_m=0.4 if kind == "disc" else 0.7,
                radius_m=0.05 if kind == "point" and rng.random() < 0.5 else 0.0,
            )
            made[light.id] = light
            self.node(light.name, rng.choice([None, *self.nodes]), light=light.id)
        return made

    def cameras(self) -> dict[str, Camera]:
        rng = self.rng
        made = {}
        for k in range(rng.randint(0, 2)):
            sharp = (2.5, 2.8) if rng.random() < 0.4 else (None, None)
            camera = Camera(
                f"camera:{k}",
                f"Seat {k}",
                round(rng.uniform(0.3, 1.2), 3),
                rng.choice((1.5, 16 / 9)),
                0.05,
                rng.choice((None, 80.0)),
                24.0,
                *sharp,
            )
            made[camera.id] = camera
            self.node(camera.name, rng.choice([None, *self.nodes]), camera=camera.id)
        return made

    def clips(self) -> dict[str, Clip]:
        rng = self.rng
        made = {}
        for k in range(rng.choice((0, 0, 1, 2))):
            moved = rng.sample(list(self.nodes), min(len(self.nodes), rng.randint(1, 3)))
            channels = [c for node in moved for c in self.channels(node)]
            shaped = next(
                (n for n in self.nodes.values() if n.mesh and self.meshes[n.mesh].morph_names), None
            )
            if shaped is not None and rng.random() < 0.7:
                channels.append(self.channel(shaped.id, "weights", self.numbers.uniform(0, 1, (3, 2))))
            made[f"clip:{k}"] = Clip(f"clip:{k}", rng.choice(("swing", "open", "swing")), tuple(channels))
        return made

    def channels(self, node: str) -> list[Channel]:
        rng, numbers = self.rng, self.numbers
        turns = numbers.normal(size=(3, 4))
        tables = {
            "translation": numbers.uniform(-1, 1, (3, 3)),
            "rotation": turns / np.linalg.norm(turns, axis=1, keepdims=True),
            "scale": numbers.uniform(0.5, 1.5, (3, 3)),
        }
        return [
            self.channel(node, path, tables[path]) for path in rng.sample(list(tables), rng.randint(1, 3))
        ]

    def channel(self, node: str, path: str, values: Any) -> Channel:
        times = np.array([0, 0.5, 1.25], np.float32) + np.float32(self.rng.choice((0.0, 0.25)))
        how = self.rng.choice(("LINEAR", "LINEAR", "STEP", "CUBICSPLINE"))
        table = np.asarray(values, np.float32)
        if how == "CUBICSPLINE":
            slopes = self.numbers.normal(0, 0.3, (2, *table.shape)).astype(np.float32)
            table = np.stack([slopes[0], table, slopes[1]], axis=1)
        return Channel(node, path, times, table, how)  # type: ignore[arg-type]
