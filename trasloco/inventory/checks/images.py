"""Image files: missing, unreadable, mislabelled, refused for their size."""

from __future__ import annotations

import difflib
import math
import posixpath
from collections.abc import Iterator

from trasloco.inputs.table import INPUTS
from trasloco.inventory.context import Context
from trasloco.scene.findings import Evidence, Finding, Mend
from trasloco.scene.image_kinds import EXTENSIONS
from trasloco.scene.images import Image
from trasloco.scene.model import Decision, Scene


def users_of(scene: Scene, image: str) -> list[tuple[str, str]]:
    """(material id, input name) of every input that reads an image."""
    return [
        (m.id, name)
        for m in scene.materials.values()
        for name, given in m.inputs.items()
        if any(t.image == image for t in given.textures)
    ]


def used_by(scene: Scene, image: str) -> str:
    """Users in words, e.g. ``Paper laurel, opacity``."""
    users = users_of(scene, image)
    named = [f"{scene.materials[m].name}, {INPUTS[name].label.lower()}" for m, name in users[:2]]
    return "; ".join(named) + (f" and {len(users) - 2} more" if len(users) > 2 else "")


def candidates(scene: Scene, wanted: Image) -> list[tuple[float, Image, str]]:
    """Images that may be the missing one, best first, with a score in [0, 1] and the reason.

    A name counts most, then whether nobody else uses the file, then whether it is as large as the images it
    would stand beside.
    """
    stem, extension = posixpath.splitext(wanted.name)
    beside = _sizes_beside(scene, wanted.id)
    ranked: list[tuple[float, Image, str]] = []
    for image in scene.images.values():
        if not image.usable or image.id == wanted.id:
            continue
        other, other_extension = posixpath.splitext(image.name)
        loose = image.id in scene.loose_images
        if (other, other_extension) == (stem, extension):
            score, reason = 1.0, "same name in another folder"
        elif (other.casefold(), other_extension.casefold()) == (stem.casefold(), extension.casefold()):
            score, reason = 0.97, "same name, other case"
        elif other.casefold() == stem.casefold():
            score, reason = 0.94, "same name, other extension"
        else:
            score = difflib.SequenceMatcher(None, stem.casefold(), other.casefold()).ratio() * (
                0.9 if loose else 0.6
            )
            reason = "similar name" + ("" if loose else ", used elsewhere")
        fits = (image.width, image.height) in beside
        if score >= 0.55:
            ranked.append(
                (
                    min(score + (0.02 if fits else 0.0), 1.0),
                    image,
                    reason + (", as large as its neighbours" if fits else ""),
                )
            )
    return sorted(ranked, key=lambda item: -item[0])[:5]


def _sizes_beside(scene: Scene, image: str) -> set[tuple[int, int]]:
    """Sizes of the other images of the materials that read an image."""
    materials = {m for m, _ in users_of(scene, image)}
    others = {
        t.image
        for m in materials
        for i in scene.materials[m].inputs.values()
        for t in i.textures
        if t.image != image
    }
    return {(scene.images[k].width, scene.images[k].height) for k in others if scene.images[k].usable}


def missing_images(context: Context) -> Iterator[Finding]:
    for image in context.scene.images.values():
        if not image.missing or not users_of(context.scene, image.id):
            continue
        found = candidates(context.scene, image)
        mends = tuple(
            Mend("Relink" if k == 0 else f"Use {other.name}", (Decision(image.id, "relink", other.id),))
            for k, (_, other, _) in enumerate(found)
        )
        if found:
            _, best, reason = found[0]
            where_now = posixpath.dirname(best.path) or "the delivery"
            consequence = f"{best.name} lies in {where_now}, {reason}, {best.width} × {best.height}. Without it the input arrives empty."
        else:
            consequence = (
                "Nothing in the delivery looks like it. The input arrives empty; drop the file to add it."
            )
        evidence: Evidence = {
            "candidates": [
                {"image": other.id, "path": other.path, "score": round(score, 2), "reason": reason}
                for score, other, reason in found
            ]
        }
        yield Finding(
            f"missing_image:{image.id}",
            "missing_image",
            "Image not in the package",
            f"{image.name} · used by {used_by(context.scene, image.id)}",
            consequence,
            (image.id, *(m for m, _ in users_of(context.scene, image.id))),
            85,
            evidence,
            mends,
        )


def unreadable_images(context: Context) -> Iterator[Finding]:
    for image in context.scene.images.values():
        if image.data and image.problem:
            yield Finding(
                f"unreadable_image:{image.id}",
                "unreadable_image",
                "Image cannot be read",
                f"{image.path or image.name}",
                f"{image.problem} What it feeds arrives empty.",
                (image.id,),
                80,
            )


def wrong_extensions(context: Context) -> Iterator[Finding]:
    for image in context.scene.images.values():
        extension = posixpath.splitext(image.name)[1].lower().lstrip(".")
        if image.kind and extension and EXTENSIONS.get(extension) != image.kind:
            yield Finding(
                f"wrong_extension:{image.id}",
                "wrong_extension",
                "Extension says another kind",
                f"{image.name} · content is {image.kind.upper()}",
                "Importers that trust the extension refuse it. It is delivered under the right one.",
                (image.id,),
                25,
                {"kind": image.kind},
            )


def delivered_side(side: int, largest: int, power_of_two: bool) -> int:
    """The side an image gets under the destination's rules: the nearest power of two on a logarithmic scale,
    within the limit.
    """
    if power_of_two:
        side = 2 ** round(math.log2(max(side, 1)))
    if largest:
        limit = 2 ** int(math.log2(largest)) if power_of_two else largest
        side = min(side, limit)
    return side


def delivered_size(width: int, height: int, largest: int, power_of_two: bool) -> tuple[int, int]:
    """Both sides under the destination's rules, proportions kept: with powers of two as nearly as they allow."""
    if power_of_two:
        longer, shorter = max(width, height), min(width, height)
        long = delivered_side(longer, largest, True)
        short = delivered_side(max(round(shorter * long / longer), 1), largest, True)
        return (long, short) if width >= height else (short, long)
    if largest and max(width, height) > largest:
        scale = largest / max(width, height)
        return max(1, round(width * scale)), max(1, round(height * scale))
    return width, height


def refused_sizes(context: Context) -> Iterator[Finding]:
    rules = context.destination.images
    for image in context.scene.images.values():
        if not image.usable or not users_of(context.scene, image.id):
            continue
        size = delivered_size(image.width, image.height, rules.largest, rules.power_of_two)
        if size == (image.width, image.height):
            continue
        asks = "powers of two" if rules.power_of_two else f"at most {rules.largest} a side"
        yield Finding(
            f"refused_size:{image.id}",
            "refused_size",
            "Refused size",
            f"{image.name} · {image.width} × {image.height}",
            f"{context.destination.name} takes {asks}{f' up to {rules.largest}' if rules.power_of_two and rules.largest else ''}. Fit will carry it at {size[0]} × {size[1]}.",
            (image.id,),
            30,
            {"size": list(size)},
        )
