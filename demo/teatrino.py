"""The Teatrino: a travelling marionette theatre, built as a neutral scene from a fixed seed."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np

from demo import surfaces
from demo.shapes import Shape, ball, box, joined, lathe, surface, tube
from demo.surfaces import Surface
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.model import (
    Camera,
    Declared,
    Environment,
    Input,
    Light,
    Material,
    Mesh,
    Node,
    Primitive,
    Scene,
    Texture,
)
from trasloco.scene.relief import normal_from_height
from trasloco.scene.transforms import looking

SEED = 1887


@dataclass(frozen=True)
class MaterialPlan:
    """A material before its images are files: procedural surface, constants, and how it behaves."""

    name: str
    file: str
    make: Callable[[np.random.Generator], Surface] | None = None
    constants: tuple[tuple[str, tuple[float, ...]], ...] = ()
    alpha_mode: str = "opaque"
    double_sided: bool = False
    vertex_color: bool = False


MATERIALS: tuple[MaterialPlan, ...] = (
    MaterialPlan(
        "Curtain velvet",
        "velvet",
        surfaces.velvet,
        (("sheen_color", (0.25, 0.06, 0.08)), ("sheen_roughness", (0.45,))),
    ),
    MaterialPlan("Curtain lining", "lining", surfaces.satin),
    MaterialPlan(
        "Stage boards", "boards", surfaces.boards, (("clearcoat", (0.6,)), ("clearcoat_roughness", (0.12,)))
    ),
    MaterialPlan("Footlight brass", "brass", surfaces.brass),
    MaterialPlan(
        "Chimney glass",
        "glass",
        None,
        (
            ("base_color", (0.96, 0.98, 0.97)),
            ("roughness", (0.05,)),
            ("metalness", (0.0,)),
            ("transmission", (0.95,)),
        ),
        double_sided=True,
    ),
    MaterialPlan(
        "Candle wax",
        "wax",
        None,
        (("base_color", (0.90, 0.80, 0.60)), ("roughness", (0.45,)), ("metalness", (0.0,))),
    ),
    MaterialPlan(
        "Flame",
        "flame",
        None,
        (
            ("base_color", (0.0, 0.0, 0.0)),
            ("roughness", (1.0,)),
            ("metalness", (0.0,)),
            ("emission", (1.0, 0.55, 0.18)),
            ("emission_strength", (220.0,)),
        ),
    ),
    MaterialPlan("Paper laurel", "laurel", surfaces.laurel, alpha_mode="mask", double_sided=True),
    MaterialPlan("Puppet paint", "costume", surfaces.costume, vertex_color=True),
    MaterialPlan("Trunk leather", "leather", surfaces.leather),
    MaterialPlan("Trunk label", "label", surfaces.label),
    MaterialPlan("Winch iron", "iron", surfaces.iron, (("metalness", (0.0,)),), vertex_color=True),
    MaterialPlan("Proscenium plaster", "plaster", surfaces.plaster),
    MaterialPlan("Backdrop canvas", "backdrop", surfaces.backdrop),
    MaterialPlan("Wing canvas", "wing", surfaces.wing),
)


@dataclass(frozen=True)
class PartPlan:
    name: str
    group: str
    material: str
    shape: Shape


def _drape(width: float, height: float, folds: float, depth: float, gather: float, offset: float) -> Shape:
    """A hanging curtain with folds that deepen downwards and a waist where it is tied back."""

    def at(u: Any, v: Any) -> Any:
        waist = 1 - gather * np.exp(-(((v - 0.62) / 0.22) ** 2))
        x = (u - 0.5) * width * waist
        ripple = np.sin(u * folds * 2 * np.pi + 0.8 * np.sin(v * 5)) + 0.35 * np.sin(
            u * folds * 4.7 * np.pi + 1.3 * v + 1
        )
        z = depth * ripple * (0.45 + 0.55 * v) * waist + offset
        return np.stack([x, height * (1 - v) + 0.004 * np.sin(u * folds * 2 * np.pi), z], 1)

    return surface(220, 90, at)


def _curtains() -> list[PartPlan]:
    parts = []
    for side, name in ((-1, "left"), (1, "right")):
        front = _drape(0.46, 1.17, 5.5, 0.026, 0.42, 0.0).tiled(2, 5)
        if side > 0:
            front = Shape(
                front.positions * [-1, 1, 1], front.normals * [-1, 1, 1], front.uvs, front.triangles[:, ::-1]
            )
        back = _drape(0.46, 1.17, 5.5, 0.026, 0.42, -0.006).reversed().tiled(2, 5)
        if side > 0:
            back = Shape(
                back.positions * [-1, 1, 1], back.normals * [-1, 1, 1], back.uvs, back.triangles[:, ::-1]
            )
        x = side * 0.60
        parts.append(PartPlan(f"Curtain {name}", "curtains", "Curtain velvet", front.moved(x, 0.01, 0.30)))
        parts.append(
            PartPlan(f"Curtain {name} lining", "curtains", "Curtain lining", back.moved(x, 0.01, 0.30))
        )
        tie = tube(
            [
                (x + 0.15 * np.sin(a), 0.46 - 0.01 * np.cos(a), 0.30 + 0.055 * np.cos(a))
                for a in np.linspace(0, 2 * np.pi, 33)
            ],
            0.011,
        )
        parts.append(PartPlan(f"Tie {name}", "curtains", "Curtain lining", tie))

    def valance(u: Any, v: Any) -> Any:
        x = (u - 0.5) * 1.66
        scallop = 0.055 * np.abs(np.sin(u * 7 * np.pi))
        fold = 0.018 * np.sin(u * 42 * np.pi) * (0.3 + 0.7 * v)
        return np.stack([x, 1.24 - v * (0.16 + scallop), 0.335 + fold], 1)

    parts.append(PartPlan("Valance", "curtains", "Curtain velvet", surface(300, 16, valance).tiled(7, 1)))

    def fringe(u: Any, v: Any) -> Any:
        x = (u - 0.5) * 1.66
        scallop = 0.055 * np.abs(np.sin(u * 7 * np.pi))
        fold = 0.018 * np.sin(u * 42 * np.pi)
        return np.stack([x, 1.083 - scallop - 0.022 * v, 0.338 + fold], 1)

    parts.append(
        PartPlan("Valance fringe", "curtains", "Curtain lining", surface(300, 2, fringe).tiled(24, 0.2))
    )
    return parts


def _house() -> list[PartPlan]:
    parts: list[PartPlan] = []
    for k in range(8):
        board = box(1.92, 0.03, 0.1235, 0.9)
        board = Shape(
            board.positions, board.normals, board.uvs + np.array([0.37 * k, 0.137 * k]), board.triangles
        )
        parts.append(
            PartPlan(f"Board {k + 1}", "stage", "Stage boards", board.moved(0, -0.015, -0.47 + 0.125 * k))
        )
    parts.append(
        PartPlan("Apron", "stage", "Stage boards", box(1.98, 0.20, 0.03, 0.9).moved(0, -0.13, 0.485))
    )
    parts.append(
        PartPlan(
            "Apron rail", "stage", "Footlight brass", box(1.99, 0.018, 0.02, 0.3).moved(0, -0.034, 0.502)
        )
    )
    for side, name in ((-1, "left"), (1, "right")):
        x = side * 0.885
        pillar = joined(
            box(0.15, 1.14, 0.10, 0.5).moved(0, 0.60, 0),
            box(0.19, 0.06, 0.13, 0.5).moved(0, 0.03, 0),
            box(0.19, 0.05, 0.13, 0.5).moved(0, 1.19, 0),
        )
        parts.append(PartPlan(f"Pillar {name}", "proscenium", "Proscenium plaster", pillar.moved(x, 0, 0.39)))
        parts.append(
            PartPlan(
                f"Pillar boss {name}",
                "proscenium",
                "Footlight brass",
                ball(0.034).scaled(1, 1, 0.5).moved(x, 1.19, 0.462),
            )
        )

    def arch(u: Any, v: Any) -> Any:
        x = (u - 0.5) * 1.95
        rise = 0.16 * np.cos((u - 0.5) * np.pi) ** 0.9
        return np.stack([x, 1.215 + rise + 0.11 - v * (0.11 + 0.55 * rise), np.full_like(u, 0.445)], 1)

    front = surface(80, 6, arch)
    back = Shape(front.positions - [0, 0, 0.10], -front.normals, front.uvs, front.triangles[:, ::-1])
    rim_top = surface(
        80,
        1,
        lambda u, v: np.stack(
            [(u - 0.5) * 1.95, 1.325 + 0.16 * np.cos((u - 0.5) * np.pi) ** 0.9, 0.345 + 0.10 * v], 1
        ),
    )
    rim_low = surface(
        80,
        1,
        lambda u, v: np.stack(
            [(u - 0.5) * 1.95, 1.215 + 0.45 * 0.16 * np.cos((u - 0.5) * np.pi) ** 0.9, 0.445 - 0.10 * v], 1
        ),
    )
    ends = [
        surface(
            1,
            6,
            lambda u, v, s=s: np.stack(
                [np.full_like(u, s * 0.975), 1.325 - 0.11 * v, 0.395 + s * (0.05 - 0.10 * u)], 1
            ),
        )
        for s in (-1, 1)
    ]
    parts.append(
        PartPlan(
            "Arch",
            "proscenium",
            "Proscenium plaster",
            joined(front.tiled(4, 1), back.tiled(4, 1), rim_top.tiled(4, 0.2), rim_low.tiled(4, 0.2), *ends),
        )
    )
    moulding = tube(
        [(x, 1.335 + 0.16 * np.cos(x / 1.95 * np.pi) ** 0.9, 0.44) for x in np.linspace(-0.975, 0.975, 60)],
        0.013,
    )
    parts.append(PartPlan("Arch moulding", "proscenium", "Footlight brass", moulding.tiled(1, 12)))
    parts.append(
        PartPlan(
            "Backdrop",
            "scenery",
            "Backdrop canvas",
            surface(
                2, 2, lambda u, v: np.stack([(u - 0.5) * 1.8, 1.25 - 1.25 * v, np.full_like(u, -0.50)], 1)
            ),
        )
    )
    for row, (x, z) in enumerate(((0.62, -0.02), (0.50, -0.26))):
        for side, name in ((-1, "left"), (1, "right")):
            flat = box(0.34, 1.05, 0.02).turned("y", -side * 12)
            parts.append(
                PartPlan(
                    f"Wing flat {name} {row + 1}", "scenery", "Wing canvas", flat.moved(side * x, 0.525, z)
                )
            )
    return parts


def _footlights() -> list[PartPlan]:
    parts: list[PartPlan] = []
    for k, x in enumerate(np.linspace(-0.64, 0.64, 5)):
        z = 0.435
        cup = lathe(
            [
                (0.001, 0.0),
                (0.034, 0.0),
                (0.036, 0.006),
                (0.012, 0.012),
                (0.010, 0.022),
                (0.026, 0.030),
                (0.036, 0.044),
                (0.038, 0.052),
                (0.034, 0.052),
                (0.022, 0.034),
                (0.001, 0.032),
            ],
            40,
            (3, 1),
        )
        shell = Shape(*_half_shell(0.052, 0.085))
        parts.append(PartPlan(f"Footlight {k + 1} cup", "footlights", "Footlight brass", cup.moved(x, 0, z)))
        parts.append(
            PartPlan(
                f"Footlight {k + 1} reflector",
                "footlights",
                "Footlight brass",
                shell.moved(x, 0.03, z + 0.012),
            )
        )
        chimney = lathe(
            [(0.020, 0.048), (0.026, 0.062), (0.027, 0.075), (0.019, 0.10), (0.016, 0.135), (0.0165, 0.142)],
            40,
        )
        parts.append(
            PartPlan(f"Footlight {k + 1} chimney", "footlights", "Chimney glass", chimney.moved(x, 0, z))
        )
        candle = lathe([(0.001, 0.032), (0.010, 0.032), (0.0105, 0.060), (0.009, 0.0635), (0.001, 0.062)], 28)
        parts.append(PartPlan(f"Footlight {k + 1} candle", "footlights", "Candle wax", candle.moved(x, 0, z)))
        flame = lathe(
            [(0.0005, 0.064), (0.0042, 0.070), (0.0048, 0.075), (0.0028, 0.085), (0.0004, 0.094)], 20
        )
        parts.append(PartPlan(f"Footlight {k + 1} flame", "footlights", "Flame", flame.moved(x, 0, z)))
    return parts


def _half_shell(radius: float, height: float) -> tuple[Any, Any, Any, Any]:
    """A quarter-round reflector, brass on both sides, that keeps the light off the audience."""
    outer = surface(
        28,
        8,
        lambda u, v: np.stack(
            [
                radius * np.sin((u - 0.5) * np.pi * 0.95) * (1 - 0.12 * (1 - v)),
                height * (1 - v),
                radius * np.cos((u - 0.5) * np.pi * 0.95) * (1 - 0.25 * (1 - v)),
            ],
            1,
        ),
    )
    inner = Shape(
        outer.positions - 0.0025 * outer.normals, -outer.normals, outer.uvs, outer.triangles[:, ::-1]
    )
    both = joined(outer.tiled(1, 0.6), inner.tiled(1, 0.6))
    return both.positions, both.normals, both.uvs, both.triangles


def _lantern() -> list[PartPlan]:
    x, y, z = 0.24, 0.93, -0.05
    cage = joined(
        lathe([(0.001, 0.0), (0.05, 0.0), (0.052, 0.012), (0.046, 0.016), (0.001, 0.0162)], 6, smooth=False),
        lathe(
            [(0.001, 0.1298), (0.048, 0.130), (0.056, 0.136), (0.030, 0.165), (0.010, 0.178), (0.001, 0.180)],
            6,
            smooth=False,
        ),
        *(
            tube(
                [
                    (0.046 * np.sin(a), 0.012, 0.046 * np.cos(a)),
                    (0.046 * np.sin(a), 0.134, 0.046 * np.cos(a)),
                ],
                0.003,
            )
            for a in np.arange(6) * np.pi / 3
        ),
    )
    cord = tube([(0, 0.18, 0), (0, 0.33, 0)], 0.0025)
    glass = lathe([(0.041, 0.016), (0.041, 0.130)], 6, smooth=False)
    flame = lathe([(0.0005, 0.040), (0.008, 0.052), (0.009, 0.062), (0.005, 0.085), (0.0005, 0.104)], 20)
    wick = lathe([(0.001, 0.006), (0.016, 0.006), (0.016, 0.036), (0.001, 0.038)], 24)
    plans = (
        ("Lantern cage", "Footlight brass", cage),
        ("Lantern cord", "Curtain lining", cord),
        ("Lantern glass", "Chimney glass", glass),
        ("Lantern candle", "Candle wax", wick),
        ("Lantern flame", "Flame", flame),
    )
    return [PartPlan(name, "lantern", material, shape.moved(x, y, z)) for name, material, shape in plans]


def _laurel() -> list[PartPlan]:
    parts = []
    for k in range(8):
        middle = -0.77 + 0.22 * k

        def at(u: Any, v: Any, middle: float = middle) -> Any:
            x = middle + (u - 0.5) * 0.25
            y = (
                1.30
                + 0.155 * np.cos(np.clip(x, -0.97, 0.97) / 1.95 * np.pi) ** 0.9
                - 0.02 * np.cos((u - 0.5) * np.pi)
            )
            return np.stack(
                [x, y + (0.5 - v) * 0.15, 0.462 + 0.02 * np.sin(u * np.pi) + 0.018 * np.sin(v * np.pi * 2)], 1
            )

        parts.append(PartPlan(f"Laurel {k + 1}", "laurel", "Paper laurel", surface(12, 8, at)))
    return parts


def _paint(shape: Shape, *bands: tuple[float, tuple[float, float, float]]) -> Shape:
    """Colours by height share, softly blended between bands."""
    low, high = shape.positions[:, 1].min(), shape.positions[:, 1].max()
    share = (shape.positions[:, 1] - low) / max(high - low, 1e-9)
    stops = np.array([b[0] for b in bands])
    colors = np.stack([np.interp(share, stops, [b[1][c] for b in bands]) for c in range(3)], 1)
    return Shape(shape.positions, shape.normals, shape.uvs, shape.triangles, colors)


def puppet(coat: tuple[float, float, float], cap: tuple[float, float, float], lean: float) -> Shape:
    """A marionette, 42 cm tall: painted wood with a printed costume, hanging from its strings."""
    skin, dark, white = (0.78, 0.47, 0.32), (0.05, 0.035, 0.03), (0.85, 0.82, 0.74)
    tunic = _paint(
        lathe(
            [
                (0.001, 0.10),
                (0.075, 0.10),
                (0.082, 0.11),
                (0.066, 0.16),
                (0.048, 0.22),
                (0.044, 0.255),
                (0.030, 0.275),
                (0.012, 0.282),
                (0.001, 0.284),
            ],
            44,
            (2, 1),
        ),
        (0, coat),
        (0.25, tuple(c * 0.7 for c in coat)),
        (0.75, coat),
        (1, white),
    )  # type: ignore[arg-type]
    ruff = lathe(
        [(0.001, 0.269), (0.012, 0.270), (0.052, 0.276), (0.054, 0.284), (0.012, 0.290), (0.001, 0.291)],
        44,
        (6, 1),
    ).painted(white)
    head = _paint(
        ball(0.046, 36).scaled(0.92, 1.12, 1).moved(0, 0.335, 0),
        (0, skin),
        (0.35, (0.86, 0.42, 0.33)),
        (0.55, skin),
        (1, skin),
    )
    nose = ball(0.013, 16).scaled(0.8, 0.8, 1.7).moved(0, 0.332, 0.052).painted((0.83, 0.36, 0.28))
    eyes = [ball(0.0075, 14).moved(s * 0.018, 0.346, 0.039).painted(white) for s in (-1, 1)] + [
        ball(0.0042, 12).moved(s * 0.0185, 0.346, 0.0445).painted(dark) for s in (-1, 1)
    ]
    hat = _paint(
        lathe(
            [
                (0.001, 0.364),
                (0.050, 0.365),
                (0.056, 0.370),
                (0.040, 0.392),
                (0.018, 0.435),
                (0.004, 0.462),
                (0.001, 0.464),
            ],
            36,
            (2, 1),
        ),
        (0, white),
        (0.12, cap),
        (1, cap),
    )
    limbs = []
    for s in (-1, 1):
        raised = 0.05 if s * lean > 0 else -0.045
        limbs.append(
            tube(
                [(s * 0.040, 0.262, 0.0), (s * 0.080, 0.235, 0.012), (s * 0.112, 0.235 + raised, 0.035)],
                0.015,
                14,
            ).painted(coat)
        )
        limbs.append(ball(0.019, 18).moved(s * 0.118, 0.235 + raised, 0.038).painted(skin))
        limbs.append(
            tube(
                [(s * 0.030, 0.112, 0), (s * 0.034, 0.060, 0.012), (s * 0.036, 0.018, 0.004)], 0.016, 14
            ).painted(white)
        )
        limbs.append(ball(0.024, 18).scaled(0.8, 0.6, 1.4).moved(s * 0.037, 0.015, 0.014).painted(dark))
        limbs.append(
            tube([(s * 0.118, 0.240 + raised, 0.038), (s * 0.09, 1.15, 0.0)], 0.0013, 5).painted(
                (0.3, 0.28, 0.24)
            )
        )
    strings = tube([(0, 0.46, 0), (0, 1.15, 0)], 0.0013, 5).painted((0.3, 0.28, 0.24))
    return joined(tunic, ruff, head, nose, *eyes, hat, *limbs, strings)


def _trunk() -> list[PartPlan]:
    body = box(0.36, 0.15, 0.20, 0.25).moved(0, 0.075, 0)

    def curve(u: Any, v: Any) -> Any:
        angle = (0.5 - v) * np.pi
        return np.stack([(u - 0.5) * 0.364, 0.152 + 0.075 * np.cos(angle), -0.102 * np.sin(angle)], 1)

    dome = surface(2, 24, curve)
    caps = []
    for s in (-1, 1):
        fan = surface(
            24,
            1,
            lambda u, v, s=s: np.stack(
                [
                    np.full_like(u, s * 0.182),
                    0.152 + 0.075 * (1 - v) * np.cos((u - 0.5) * np.pi),
                    -s * 0.102 * np.sin((u - 0.5) * np.pi) * (1 - v * 0.0),
                ],
                1,
            ),
        )
        caps.append(fan)
    lid = joined(dome.tiled(1.4, 1.2), *caps)
    straps = []
    for x in (-0.10, 0.10):
        straps.append(
            surface(
                1,
                24,
                lambda u, v, x=x: np.stack(
                    [
                        x + (u - 0.5) * 0.022,
                        0.152 + 0.079 * np.cos((0.5 - v) * np.pi),
                        -0.106 * np.sin((0.5 - v) * np.pi),
                    ],
                    1,
                ),
            )
        )
        straps.append(box(0.022, 0.15, 0.008, 0.2).moved(x, 0.076, 0.103))
    lock = box(0.036, 0.044, 0.012, 0.2).moved(0, 0.135, 0.106)
    corners = [
        ball(0.014, 16).moved(x, y, z) for x in (-0.18, 0.18) for y in (0.006, 0.146) for z in (-0.10, 0.10)
    ]
    paper = surface(
        1,
        1,
        lambda u, v: np.stack(
            [0.045 + (u - 0.5) * 0.075, 0.07 + (0.5 - v) * 0.075, np.full_like(u, 0.1008)], 1
        ),
    )
    plans = (
        ("Trunk body", "Trunk leather", body),
        ("Trunk lid", "Trunk leather", lid),
        ("Trunk brasses", "Footlight brass", joined(*straps, lock, *corners)),
        ("Trunk label", "Trunk label", paper),
    )
    return [
        PartPlan(name, "trunk", material, shape.turned("y", 24).moved(-0.40, 0, 0.16))
        for name, material, shape in plans
    ]


ID_COLORS = (
    (0.80, 0.20, 0.10),
    (0.10, 0.45, 0.70),
    (0.95, 0.75, 0.10),
    (0.15, 0.55, 0.25),
    (0.55, 0.25, 0.60),
    (0.85, 0.45, 0.60),
    (0.35, 0.70, 0.70),
)


def _winch() -> list[PartPlan]:
    """A winch of small parts told apart by flat ID colours."""

    def wheel(teeth: int, radius: float, thick: float) -> Shape:
        angles = np.linspace(0, 2 * np.pi, teeth * 4 + 1)
        rim = radius * (
            1
            + 0.12 * np.repeat([1, 1, 0, 0], teeth)[np.arange(teeth * 4 + 1) % (teeth * 4)] * 0
            + 0.1 * (np.arange(teeth * 4 + 1) % 4 < 2)
        )
        side = surface(
            teeth * 4,
            1,
            lambda u, v: np.stack(
                [
                    np.interp(u, np.linspace(0, 1, teeth * 4 + 1), rim * np.sin(angles)),
                    (0.5 - v) * thick,
                    np.interp(u, np.linspace(0, 1, teeth * 4 + 1), rim * np.cos(angles)),
                ],
                1,
            ),
        )
        top = surface(
            teeth * 4,
            1,
            lambda u, v: np.stack(
                [
                    np.interp(u, np.linspace(0, 1, teeth * 4 + 1), rim * np.sin(angles)) * (1e-3 + v),
                    np.full_like(u, thick / 2),
                    np.interp(u, np.linspace(0, 1, teeth * 4 + 1), rim * np.cos(angles)) * (1e-3 + v),
                ],
                1,
            ),
        )
        low = Shape(top.positions * [1, -1, 1], top.normals * [1, -1, 1], top.uvs, top.triangles[:, ::-1])
        return joined(side, top, low).turned("z", 90)

    plans = [
        ("Winch frame left", 0, box(0.012, 0.14, 0.10).moved(-0.075, 0.07, 0)),
        ("Winch frame right", 0, box(0.012, 0.14, 0.10).moved(0.075, 0.07, 0)),
        (
            "Winch drum",
            1,
            lathe([(0.001, -0.065), (0.028, -0.065), (0.028, 0.065), (0.001, 0.065)], 32)
            .turned("z", 90)
            .moved(0, 0.085, 0),
        ),
        ("Winch gear large", 2, wheel(18, 0.050, 0.012).moved(0.092, 0.085, 0)),
        ("Winch gear small", 3, wheel(9, 0.022, 0.014).moved(0.092, 0.020, 0.030)),
        (
            "Winch crank",
            4,
            joined(
                box(0.012, 0.012, 0.10).moved(-0.098, 0.085, 0.04),
                tube([(-0.07, 0.085, 0), (-0.1032, 0.085, 0)], 0.008, 12),
            ),
        ),
        (
            "Winch handle",
            5,
            lathe([(0.001, 0), (0.012, 0), (0.012, 0.05), (0.001, 0.05)], 20)
            .turned("z", 90)
            .moved(-0.104, 0.085, 0.084),
        ),
        *(
            (f"Winch bolt {k + 1}", 6, ball(0.009, 12).moved(x, y, z))
            for k, (x, y, z) in enumerate(
                (a, b, c) for a in (-0.083, 0.083) for b, c in ((0.02, 0.04), (0.12, 0.04), (0.12, -0.04))
            )
        ),
    ]
    return [
        PartPlan(
            name, "winch", "Winch iron", shape.painted(ID_COLORS[color]).turned("y", -32).moved(0.36, 0, 0.17)
        )
        for name, color, shape in plans
    ]


def part_plans() -> list[PartPlan]:
    """Every part of the theatre, in metres, Y up, the audience at +Z."""
    puppets = [
        PartPlan(
            "Pulcino",
            "puppets",
            "Puppet paint",
            puppet((0.85, 0.83, 0.78), (0.62, 0.08, 0.08), 1).turned("y", 10).moved(-0.13, 0.0, 0.10),
        ),
        PartPlan(
            "Fiammetta",
            "puppets",
            "Puppet paint",
            puppet((0.07, 0.27, 0.36), (0.80, 0.52, 0.10), -1).turned("y", -14).moved(0.135, 0.0, 0.03),
        ),
    ]
    return [*_house(), *_curtains(), *_footlights(), *_lantern(), *_laurel(), *puppets, *_trunk(), *_winch()]


def make_surfaces() -> dict[str, Surface]:
    """The procedural images of every material, by file stem; each has its own seed, so one can change without
    the others.
    """
    wanted = [(k, plan) for k, plan in enumerate(MATERIALS) if plan.make is not None]
    with ThreadPoolExecutor(2) as pool:
        made = pool.map(lambda item: item[1].make(np.random.default_rng(SEED + item[0])), wanted)  # type: ignore[misc]
        return {plan.file: surface_of for (_, plan), surface_of in zip(wanted, made)}


def bytes8(values: Any) -> Any:
    array = np.round(np.clip(values, 0, 1) * 255).astype(np.uint8)
    return array if array.ndim == 3 else array[..., None]


def normal_picture(made: Surface) -> Any:
    """8-bit normal map of a surface's relief, green up."""
    assert made.height is not None
    return bytes8(normal_from_height(made.height.astype(np.float32), made.depth) * 0.5 + 0.5)


def clean_images(made: dict[str, Surface]) -> dict[str, Image]:
    """Images of the clean delivery: colour (with alpha), occlusion/roughness/metalness packed as glTF wants,
    normals green up.
    """
    jobs: list[tuple[str, Any]] = []
    for stem, s in made.items():
        color = bytes8(s.color)
        jobs.append(
            (
                f"{stem}_color",
                np.concatenate([color, bytes8(s.opacity)], axis=2) if s.opacity is not None else color,
            )
        )
        if s.roughness is not None:
            shape = s.roughness.shape
            jobs.append(
                (
                    f"{stem}_orm",
                    bytes8(
                        np.stack(
                            [
                                s.occlusion if s.occlusion is not None else np.ones(shape),
                                s.roughness,
                                s.metalness if s.metalness is not None else np.zeros(shape),
                            ],
                            -1,
                        )
                    ),
                )
            )
        if s.height is not None:
            jobs.append((f"{stem}_normal", normal_picture(s)))
    with ThreadPoolExecutor(2) as pool:
        encoded = list(pool.map(lambda job: encode(job[1], "png"), jobs))
    return {
        f"image:{name}": identify(f"image:{name}", f"{name}.png", f"{name}.png", data)
        for (name, _), data in zip(jobs, encoded)
    }


def clean_material(plan: MaterialPlan, made: dict[str, Surface]) -> Material:
    inputs = {name: Input(value) for name, value in plan.constants}
    surface_of = made.get(plan.file)
    if surface_of is not None:
        inputs["base_color"] = Input(
            (1.0, 1.0, 1.0),
            Texture(f"image:{plan.file}_color", "rgb", "srgb"),
            vertex_color=plan.vertex_color,
        )
        packed = f"image:{plan.file}_orm"
        if surface_of.roughness is not None:
            inputs["roughness"] = Input((1.0,), Texture(packed, "g"))
            inputs.setdefault(
                "metalness",
                Input((1.0,), Texture(packed, "b")) if surface_of.metalness is not None else Input((0.0,)),
            )
        if surface_of.occlusion is not None:
            inputs["occlusion"] = Input((1.0,), Texture(packed, "r"))
        if surface_of.height is not None:
            inputs["normal"] = Input((0.0, 0.0, 1.0), Texture(f"image:{plan.file}_normal", "rgb"))
        if surface_of.opacity is not None:
            inputs["opacity"] = Input((1.0,), Texture(f"image:{plan.file}_color", "a"))
    return Material(f"material:{plan.name}", plan.name, inputs, plan.alpha_mode, 0.5, plan.double_sided)  # type: ignore[arg-type]


def lights_and_cameras() -> tuple[dict[str, Light], dict[str, Camera], list[Node]]:
    """Five footlights, a warm lantern, a late sun; two cameras."""
    lights: dict[str, Light] = {}
    nodes: list[Node] = []

    def put(light: Light, matrix: Any) -> None:
        lights[light.id] = light
        nodes.append(Node(f"part:{light.name}", light.name, None, matrix, light=light.id))

    # Above the chimneys and below the lantern: a point of light a finger's breadth from glass or wax makes
    # specks, not light.
    for k, x in enumerate(np.linspace(-0.64, 0.64, 5)):
        put(
            Light(f"light:footlight {k + 1}", f"Footlight {k + 1}", "point", (1.0, 0.62, 0.30), 11.0),
            looking((x, 0.185, 0.40), (x, 0.3, 0)),
        )
    put(
        Light("light:lantern", "Lantern", "point", (1.0, 0.66, 0.34), 16.0),
        looking((0.24, 0.865, -0.05), (0.24, 0, -0.06)),
    )
    put(
        Light("light:late sun", "Late sun", "sun", (1.0, 0.74, 0.50), 22.0),
        looking((-3.6, 3.4, 2.0), (0, 0.4, 0)),
    )
    cameras = {
        "camera:front row": Camera("camera:front row", "Front row", np.radians(33.5), 16 / 9),
        "camera:from the wings": Camera("camera:from the wings", "From the wings", np.radians(40), 16 / 9),
    }
    nodes.append(
        Node(
            "part:Front row",
            "Front row",
            None,
            looking((0.16, 0.74, 2.95), (0, 0.635, 0)),
            camera="camera:front row",
        )
    )
    nodes.append(
        Node(
            "part:From the wings",
            "From the wings",
            None,
            looking((-0.95, 0.62, 1.45), (0.10, 0.34, 0.10)),
            camera="camera:from the wings",
        )
    )
    return lights, cameras, nodes


def environment_image() -> Image:
    return identify(
        "image:evening", "teatrino-evening.exr", "teatrino-evening.exr", encode(surfaces.evening(), "exr")
    )


def build(
    made: dict[str, Surface], with_environment: bool = True, plans: list[PartPlan] | None = None
) -> Scene:
    """The clean Teatrino as a neutral scene, or other parts in its place."""
    plans = plans or part_plans()
    images = clean_images(made)
    nodes: dict[str, Node] = {}
    meshes: dict[str, Mesh] = {}
    for group in dict.fromkeys(plan.group for plan in plans):
        nodes[f"group:{group}"] = Node(f"group:{group}", group.capitalize(), None, np.eye(4))
    for plan in plans:
        shape = plan.shape
        colors = None
        if shape.colors is not None:
            colors = np.concatenate([shape.colors, np.ones((len(shape.colors), 1))], 1).astype(np.float32)
        primitive = Primitive(
            shape.positions.astype(np.float32),
            shape.triangles.astype(np.uint32),
            shape.normals.astype(np.float32),
            None,
            (shape.uvs.astype(np.float32),),
            colors,
            material=f"material:{plan.material}",
        )
        meshes[f"mesh:{plan.name}"] = Mesh(f"mesh:{plan.name}", plan.name, (primitive,))
        nodes[f"part:{plan.name}"] = Node(
            f"part:{plan.name}", plan.name, f"group:{plan.group}", np.eye(4), mesh=f"mesh:{plan.name}"
        )
    lights, cameras, extra = lights_and_cameras()
    nodes |= {node.id: node for node in extra}
    materials = {f"material:{plan.name}": clean_material(plan, made) for plan in MATERIALS}
    environment = None
    if with_environment:
        picture = environment_image()
        images[picture.id] = picture
        environment = Environment(picture.id, 12.0)
    return Scene(
        "teatrino",
        nodes,
        meshes,
        materials,
        images,
        lights,
        cameras,
        environment=environment,
        unit_m=Declared(1.0, "file"),
        up_axis=Declared("Y", "file"),
    )
