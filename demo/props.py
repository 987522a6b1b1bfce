"""What stands on the stage of the Teatrino."""

from __future__ import annotations

from typing import Any

import numpy as np

from demo.plans import PartPlan
from demo.shapes import Shape, ball, box, joined, lathe, surface, tube


def footlight_parts() -> list[PartPlan]:
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


def lantern_parts() -> list[PartPlan]:
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


def laurel_parts() -> list[PartPlan]:
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


def trunk_parts() -> list[PartPlan]:
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


def winch_parts() -> list[PartPlan]:
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


ID_COLORS = (
    (0.80, 0.20, 0.10),
    (0.10, 0.45, 0.70),
    (0.95, 0.75, 0.10),
    (0.15, 0.55, 0.25),
    (0.55, 0.25, 0.60),
    (0.85, 0.45, 0.60),
    (0.35, 0.70, 0.70),
)
