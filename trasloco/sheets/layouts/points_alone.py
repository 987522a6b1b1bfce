"""What formats leave no choice about that hold points in the world and nothing else of a scene."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.sheets.layouts.facts import Fault
from trasloco.sheets.layouts.no_list import faults_without_a_list
from trasloco.sheets.model import Cameras, Sheet


def faults_of_points(sheet: Sheet, format: str) -> Iterator[Fault]:
    """Places, groups, motion, lamps, cameras and words that a format without them cannot keep."""
    rules = sheet.structure
    for name, there, what in (
        ("groups", rules.groups, "groups that carry others along"),
        ("pivots", rules.pivots, "places beside its points"),
        ("instances", rules.instances, "parts that share a mesh"),
        ("layers", rules.layers, "layers"),
        ("properties", rules.properties, "custom properties"),
        ("clouds", rules.clouds, "place for points and lines of their own here"),
        ("tangents", rules.tangents, "tangents"),
        ("variants", rules.variants, "variants of materials"),
        ("frame_rate", rules.frame_rate, "frame rate"),
    ):
        if there:
            yield f"structure.{name}", f"{format} has no {what}."
    if sheet.conventions.space == "stated":
        yield "conventions.space", f"{format} says neither axis nor unit; points have to be converted."
    if rules.motion:
        yield "structure.motion", f"{format} stands still."
    if rules.names == "kept":
        yield "structure.names", f"{format} takes two parts of one name for one; ask for plain names."
    if sheet.cameras != Cameras(taken=False):
        yield "cameras.taken", f"{format} has no cameras."
    if sheet.lights.kinds or sheet.lights.environment:
        yield "lights.kinds", f"{format} has no lamps and no surroundings."
    if sheet.lightmaps.taken:
        yield "lightmaps.taken", f"{format} has no place for lightmaps."
    yield from faults_without_a_list(sheet)


def faults_of_part_files(sheet: Sheet, format: str) -> Iterator[Fault]:
    """The same where each part has a file of its own that knows no materials."""
    yield from faults_of_points(sheet, format)
    rules = sheet.materials
    if sheet.structure.uv_sets != "none":
        yield "structure.uv_sets", f"{format} is written without UVs here."
    if sheet.structure.slots != "none":
        yield "structure.slots", f"{format} has no materials, so no slots."
    if rules.sets:
        yield "materials.sets", f"{format} names no images here."
    if rules.alpha != ["opaque"]:
        yield "materials.alpha", f"{format} does not say what is see-through."
    if rules.two_sided == "flag":
        yield "materials.two_sided", f"{format} does not say which faces have two sides."
