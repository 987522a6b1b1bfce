"""What the texels of an image say that no such input can: values, alpha, steps."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from trasloco.inventory.checks.image_content import coarse, finding_of, read_as_in
from trasloco.inventory.checks.images import used_by
from trasloco.inventory.context import Context
from trasloco.inventory.seeing import Sight
from trasloco.scene.color import srgb_to_linear
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.images import Image
from trasloco.scene.model import Decision


def plausible_values(context: Context) -> Iterator[Finding]:
    """Base colours no real surface has, and metalness that is neither metal nor not."""
    for image, sight in context.sights():
        for material, name, texture in read_as_in(context, image):
            if name == "base_color" and not context.scene.materials[material].unlit and len(sight.mean) >= 3:
                yield from _base_color(context, image, sight, material)
                break
            if name == "metalness":
                values = coarse(image, texture.channels)
                halves = float(((values > 0.15) & (values < 0.85)).mean())
                if halves > 0.35:
                    yield finding_of(
                        context,
                        "half_metal",
                        image,
                        "Metalness in halves",
                        f"{halves:.0%} of its texels between 0.15 and 0.85",
                        "Nothing is half a metal: such places look like dirty plastic. Edges may be soft, areas not.",
                        24,
                        {"share": halves},
                    )
                    break


def _base_color(context: Context, image: Image, sight: Sight, material: str) -> Iterator[Finding]:
    light = float(srgb_to_linear(np.clip(sight.mean[:3], 0, 1)).max())
    dark = float(srgb_to_linear(np.clip(sight.high[:3], 0, 1)).max())
    metal = context.scene.materials[material].inputs.get("metalness")
    if light > 0.9:
        yield finding_of(
            context,
            "too_light",
            image,
            "Lighter than any real surface",
            f"mean {light:.2f} of full white",
            "Fresh snow reflects 0.9. Light bounces on and on; the room glows.",
            26,
            {"mean": light},
        )
    elif dark < 0.015 and not (metal is not None and metal.texture is None and metal.factor[0] >= 1):
        yield finding_of(
            context,
            "too_dark",
            image,
            "Darker than any real surface",
            f"brightest {dark:.3f} of full white",
            "Coal reflects 0.04. No light brings it out.",
            20,
            {"brightest": dark},
        )


def alpha_use(context: Context) -> Iterator[Finding]:
    """An alpha channel that cuts nothing, or one with a cut-out or soft edges that nothing uses."""
    for image, sight in context.sights():
        users = read_as_in(context, image)
        if (
            sight.alpha == "none"
            or not users
            or any(t.channels == "a" and n != "opacity" for _, n, t in users)
        ):
            continue
        opacity = [m for m, n, t in users if n == "opacity" and t.channels == "a"]
        shaped = [m for m in opacity if context.scene.materials[m].alpha_mode != "opaque"]
        colored = [(m, t) for m, n, t in users if n == "base_color"]
        if shaped and sight.alpha == "empty":
            mend = Mend("Make it opaque", tuple(Decision(m, "alpha_mode", "opaque") for m in shaped))
            yield finding_of(
                context,
                "empty_alpha",
                image,
                "A see-through channel that is empty",
                used_by(context.scene, image.id),
                "It costs as much as a real cut-out and cuts nothing.",
                18,
                {"alpha": "empty"},
                (mend,),
            )
        elif sight.alpha in ("cut", "soft") and colored and not opacity:
            lacking = [m for m, _ in colored if "opacity" not in context.scene.materials[m].inputs]
            cut, blend = (
                Mend(
                    label,
                    tuple(
                        d
                        for m in lacking
                        for d in (
                            Decision(f"{m}/opacity", "image", {"image": image.id, "channels": "a"}),
                            Decision(m, "alpha_mode", mode),
                        )
                    ),
                )
                for label, mode in (("Cut out by it", "mask"), ("Blend by it", "blend"))
            )
            if lacking and sight.alpha == "cut":
                yield finding_of(
                    context,
                    "unused_alpha",
                    image,
                    "A cut-out that nobody uses",
                    used_by(context.scene, image.id),
                    "Solid rectangles where there should be a shape.",
                    63,
                    {"alpha": "cut"},
                    (cut,),
                )
            elif lacking:
                consequence = "Strands of hair arrive as cards, tinted glass as a wall. Some programs keep gloss or height there: look at it before it is used."
                mends = (blend, cut) if "blend" in context.destination.materials.alpha else (cut, blend)
                yield finding_of(
                    context,
                    "unused_soft_alpha",
                    image,
                    "Soft see-through that nobody uses",
                    used_by(context.scene, image.id),
                    consequence,
                    46,
                    {"alpha": "soft"},
                    mends,
                )


def stepped_height(context: Context) -> Iterator[Finding]:
    """Height with too few levels for smooth slopes."""
    for image, sight in context.sights():
        users = [(m, n) for m, n, _ in read_as_in(context, image) if n == "height"]
        if users and 2 < sight.steps < 48 and float(sight.high[0] - sight.low[0]) > 0.2:
            yield finding_of(
                context,
                "stepped_height",
                image,
                "Height in steps",
                f"{sight.steps} levels",
                "Slopes become terraces. A 16-bit image would keep them smooth.",
                21,
                {"levels": sight.steps},
            )
