"""The house of the Teatrino: stage, front and curtains."""

from __future__ import annotations

from typing import Any

import numpy as np

from demo.plans import PartPlan
from demo.shapes import Shape, ball, box, joined, surface, tube


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


def curtain_parts() -> list[PartPlan]:
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


def house_parts() -> list[PartPlan]:
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
