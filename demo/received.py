"""The Teatrino as Bottega would deliver it, with the faults that deliveries have."""

from __future__ import annotations

import io
import zipfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np

from demo import surfaces
from demo.plans import PartPlan
from demo.shapes import Shape, box, joined, lathe, tube
from demo.surfaces import Surface
from demo.teatrino import MATERIALS, bytes8, normal_picture, part_plans
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.images import encode

HEIGHT_DELIVERED = ("boards", "leather", "plaster", "iron")
"""Materials whose relief comes as height; the others come as normals with green down."""
TINT = (0.84, 0.79, 0.71)
"""The vertex tint left behind on the trunk, as sRGB."""
VELVET_TINT = (0.86, 0.80, 0.82)
"""Kept apart from the velvet's image, as Bottega keeps tints; the image is brighter by as much."""


def _stray_parts() -> list[PartPlan]:
    crate = box(0.34, 0.26, 0.28).moved(1.35, 0.13, 0.55)
    lamp = joined(
        *(tube([(0, 1.1, 0), (0.28 * np.sin(a), 0.0, 0.28 * np.cos(a))], 0.012) for a in (0, 2.1, 4.2)),
        lathe([(0.001, 1.1), (0.02, 1.1), (0.12, 1.18), (0.13, 1.30), (0.001, 1.31)], 24),
    )
    finder = joined(
        box(0.10, 0.10, 0.16),
        lathe([(0.001, -0.0005), (0.03, 0), (0.07, 0.09), (0.001, 0.0905)], 20)
        .turned("x", 90)
        .moved(0, 0, -0.075),
    )
    return [
        PartPlan("packing crate", "", "crate", crate),
        PartPlan("work light", "", "crate", lamp.moved(-1.35, -0.2, 0.9)),
        PartPlan("rehearsal viewpoint", "", "crate", finder.moved(0.2, 0.75, 2.6)),
    ]


def _faulty(plan: PartPlan) -> PartPlan:
    if plan.name in ("Wing flat left 1", "Trunk lid"):
        plan = replace(plan, shape=plan.shape.reversed())
    return plan


def _obj(plans: list[PartPlan]) -> bytes:
    """OBJ text: Z up, centimetres, v up, vertex colours behind the points (sRGB)."""
    out = io.StringIO()
    out.write("mtllib teatrino.mtl\n")
    start = 1
    for plan in plans:
        shape: Shape = plan.shape
        p = shape.positions[:, [0, 2, 1]] * [100.0, -100.0, 100.0]
        n = shape.normals[:, [0, 2, 1]] * [1.0, -1.0, 1.0]
        out.write(f"o {plan.name}\n")
        colors = linear_to_srgb(shape.colors) if shape.colors is not None else None
        if plan.name.startswith("Trunk") and plan.material == "Trunk leather":
            colors = np.tile(np.array(TINT), (len(p), 1))
        rows = np.concatenate([p, colors], axis=1) if colors is not None else p
        np.savetxt(out, rows, "v " + " ".join(["%.4f"] * 3 + ["%.4f"] * (rows.shape[1] - 3)))
        np.savetxt(out, np.stack([shape.uvs[:, 0], 1 - shape.uvs[:, 1]], 1), "vt %.5f %.5f")
        np.savetxt(out, n, "vn %.4f %.4f %.4f")
        out.write(f"usemtl {plan.material}\n")
        corners = shape.triangles + start
        np.savetxt(out, np.repeat(corners, 3, axis=1), "f %d/%d/%d %d/%d/%d %d/%d/%d")
        start += len(p)
    return out.getvalue().encode()


def _velvet_without_tint(color: Any) -> Any:
    """The velvet's colour image with the separate tint divided out, in linear light."""
    from trasloco.scene.color import srgb_to_linear

    return linear_to_srgb(np.clip(srgb_to_linear(color) / srgb_to_linear(np.array(VELVET_TINT)), 0, 1))


def _mtl_and_images(made: dict[str, Surface]) -> tuple[bytes, list[tuple[str, Any, str]]]:
    lines: list[str] = []
    images: list[tuple[str, Any, str]] = []
    from trasloco.scene.color import srgb_to_linear

    for plan in MATERIALS:
        lines.append(f"newmtl {plan.name}")
        constants = dict(plan.constants)
        s = made.get(plan.file)
        if s is None:
            lines.append("Kd {:.4f} {:.4f} {:.4f}".format(*constants.get("base_color", (0.8, 0.8, 0.8))))
            # Bottega writes gloss under the roughness statement, for constants as for images.
            lines.append(f"Pr {1 - constants.get('roughness', (0.8,))[0]:.4f}")
            lines.append(f"Pm {constants.get('metalness', (0.0,))[0]:.4f}")
        else:
            stem = plan.file
            color = s.color
            tint: Any = (1.0, 1.0, 1.0)
            if stem == "velvet":
                color, tint = _velvet_without_tint(color), srgb_to_linear(np.array(VELVET_TINT))
            lines.append("Kd {:.4f} {:.4f} {:.4f}".format(*tint))
            kind = "jpg" if stem == "costume" else "png"
            images.append((f"maps/{stem}_col.{kind}", bytes8(color), kind))
            lines.append(f"map_Kd maps/{stem}_col.{kind}")
            if s.roughness is not None:
                images.append((f"maps/{stem}_gloss.png", bytes8(1 - s.roughness), "png"))
                lines.append(f"map_Pr maps/{stem}_gloss.png")
            if s.metalness is not None:
                images.append((f"maps/{stem}_metal.png", bytes8(s.metalness), "png"))
                lines.append(f"map_Pm maps/{stem}_metal.png")
            else:
                lines.append("Pm 0.0")
            if s.occlusion is not None:
                images.append((f"maps/{stem}_ao.png", bytes8(s.occlusion), "png"))
                lines.append(f"map_ao maps/{stem}_ao.png")
            if s.height is not None and stem in HEIGHT_DELIVERED:
                images.append(
                    (
                        f"maps/{stem}_height.png",
                        np.round(np.clip(s.height, 0, 1) * 65535).astype(np.uint16)[..., None],
                        "png",
                    )
                )
                lines.append(f"map_Bump -bm {s.depth:.4f} maps/{stem}_height.png")
            elif s.height is not None:
                normal = normal_picture(s).copy()
                normal[..., 1] = 255 - normal[..., 1]
                images.append((f"maps/{stem}_normal.png", normal, "png"))
                lines.append(f"norm maps/{stem}_normal.png")
            if s.opacity is not None:
                # The material asks for a .tga; an older folder holds the same mask as .png.
                images.append((f"old/{stem}_mask.png", bytes8(s.opacity), "png"))
                lines.append(f"map_d maps/{stem}_mask.tga")
        if "clearcoat" in constants:
            lines += [f"Pc {constants['clearcoat'][0]:.3f}", f"Pcr {constants['clearcoat_roughness'][0]:.3f}"]
        if "sheen_color" in constants:
            lines.append("Ps {:.3f} {:.3f} {:.3f}".format(*constants["sheen_color"]))
        if "transmission" in constants:
            lines.append(f"Pt {constants['transmission'][0]:.3f}")
        if "emission" in constants:
            lines.append(
                "Ke {:.3f} {:.3f} {:.3f}".format(
                    *(c * constants["emission_strength"][0] for c in constants["emission"])
                )
            )
        lines.append("")
    lines += ["newmtl crate", "Kd 0.45 0.33 0.2", "Pr 0.3", ""]
    return "\n".join(lines).encode(), images


def received_zip(made: dict[str, Surface]) -> bytes:
    """``teatrino-received.zip``."""
    plans = [_faulty(plan) for plan in part_plans()]
    twice = next(plan for plan in plans if plan.name == "Pulcino")
    plans.append(replace(twice, name="Pulcino copy", shape=twice.shape.moved(0.003, 0, 0.001)))
    plans += _stray_parts()
    mtl, images = _mtl_and_images(made)
    with ThreadPoolExecutor(2) as pool:
        encoded = list(pool.map(lambda item: encode(item[1], item[2]), images))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:

        def put(name: str, data: bytes) -> None:
            stored = zipfile.ZIP_STORED if name.endswith((".png", ".jpg")) else zipfile.ZIP_DEFLATED
            archive.writestr(zipfile.ZipInfo(name, (1988, 4, 2, 9, 0, 0)), data, stored)

        put("teatrino.obj", _obj(plans))
        put("teatrino.mtl", mtl)
        for (name, _, _), data in zip(images, encoded):
            put(name, data)
        put("teatrino-evening.exr", encode(surfaces.evening(), "exr"))
    return out.getvalue()
