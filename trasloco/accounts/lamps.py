"""Lamps, surroundings, light written down, and cameras, on both sides."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterator
from dataclasses import fields, replace
from typing import Any

from trasloco.accounts.model import Fact
from trasloco.accounts.pairing import Pairs
from trasloco.fit.model import Passage
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Lightmap, Scene

_SHARE = 1e-4
_ANGLE = 1e-4


def lamp_facts(
    reference: Scene, arrival: Scene, pairs: Pairs, promises: dict[Any, Passage], baked: Scene | None
) -> Iterator[Fact]:
    """Facts of every lamp by its node, of what surrounds the scene, and of light that was written down
    (``baked`` is what was delivered with it).
    """
    for node in reference.nodes.values():
        other = arrival.nodes.get(pairs.nodes.get(node.id, ""))
        light = reference.lights.get(node.light or "")
        got = arrival.lights.get(other.light or "") if other is not None else None
        if light is None and got is None:
            continue
        promise = promises.get(("light", node.id, "lamp"))
        stand_in = promise.stand_in if promise is not None else None
        same = light is not None and got is not None and _same_light(light, got)
        kept = got is not None and stand_in is not None and _same_light(stand_in, got)
        name = light.name if light is not None else node.name
        yield Fact("light", node.id, "lamp", name, _lit(light), _lit(got), same, gone=got is None, kept=kept)
    for id in pairs.new_nodes:
        if arrival.nodes[id].light in arrival.lights:
            yield Fact(
                "light",
                id,
                "lamp",
                arrival.nodes[id].name,
                "not there",
                _lit(arrival.lights[arrival.nodes[id].light or ""]),
                False,
            )
    for name in ("environment", "backdrop"):
        yield from _around(name, reference, arrival)
    yield from _written(reference, arrival, pairs, baked)


def _around(name: str, reference: Scene, arrival: Scene) -> Iterator[Fact]:
    meant, got = getattr(reference, name), getattr(arrival, name)
    if meant is None and got is None:
        return
    same = meant is not None and got is not None and _same_picture(reference, meant.image, arrival, got.image)
    same = (
        same
        and math.isclose(meant.level, got.level, rel_tol=_SHARE)
        and _same_turn(meant.turn_rad, got.turn_rad)
    )
    label = "Surroundings" if name == "environment" else "Backdrop"
    yield Fact("light", name, name, label, _pictured(meant), _pictured(got), same, gone=got is None)


def _same_turn(first: float, second: float) -> bool:
    return abs(math.remainder(first - second, 2 * math.pi)) <= _ANGLE


def _pictured(around: Any) -> str:
    return (
        "none"
        if around is None
        else f"a picture, level {around.level:.4g}, turned {math.degrees(around.turn_rad):.4g}°"
    )


def _same_picture(first: Scene, one: str, second: Scene, other: str) -> bool:
    a, b = first.images.get(one), second.images.get(other)
    return (
        a is not None and b is not None and hashlib.sha256(a.data).digest() == hashlib.sha256(b.data).digest()
    )


def _same_light(meant: Light, got: Light) -> bool:
    if meant.kind != got.kind or meant.shadows != got.shadows or meant.enabled != got.enabled:
        return False
    numbers = (
        ["angle_rad"]
        if meant.kind == "sun"
        else ["radius_m"]
        if meant.kind in ("point", "spot")
        else ["width_m", "height_m"]
    )
    if meant.kind == "disc":
        numbers = ["width_m"]
    if meant.kind == "spot":
        numbers += ["inner_cone_rad", "outer_cone_rad"]
    tops = max(meant.color), max(got.color)
    if not math.isclose(meant.intensity * tops[0], got.intensity * tops[1], rel_tol=_SHARE, abs_tol=1e-9):
        return False
    if any(
        abs(getattr(meant, n) - getattr(got, n)) > _ANGLE * max(1.0, abs(getattr(meant, n))) for n in numbers
    ):
        return False
    if not all(tops):
        return True
    hues = ([c / top for c in light.color] for light, top in zip((meant, got), tops))
    return all(math.isclose(a, b, rel_tol=1e-3, abs_tol=1e-4) for a, b in zip(*hues))


def _lit(light: Light | None) -> str:
    if light is None:
        return "not there"
    unit = {"sun": "lx", "point": "cd", "spot": "cd"}.get(light.kind, "nit")
    size = {"sun": math.degrees(light.angle_rad), "point": light.radius_m, "spot": light.radius_m}.get(
        light.kind, light.width_m
    )
    cone = (
        f", {math.degrees(light.inner_cone_rad):.3g} to {math.degrees(light.outer_cone_rad):.3g}°"
        if light.kind == "spot"
        else ""
    )
    wide = f", {size:.3g} wide" if size else ""
    return (
        f"{light.kind}, {light.intensity:.5g} {unit}{cone}{wide}"
        + ("" if light.shadows else ", no shadows")
        + ("" if light.enabled else ", off")
    )


def _written(reference: Scene, arrival: Scene, pairs: Pairs, baked: Scene | None) -> Iterator[Fact]:
    """Lightmaps as delivered must arrive; what the reference brought along counts as passed on where one was
    delivered.
    """
    delivered = baked if baked is not None else reference
    for node in reference.nodes.values():
        other = arrival.nodes.get(pairs.nodes.get(node.id, ""))
        meant = delivered.nodes[node.id].lightmap if node.id in delivered.nodes else None
        got = other.lightmap if other is not None else None
        if node.lightmap is not None:
            kept = got is not None and meant is not None and same_lightmap(meant, got)
            yield Fact(
                "light",
                node.id,
                "lightmap",
                node.name,
                "a lightmap",
                "a lightmap" if got else "none",
                False,
                gone=got is None,
                kept=kept,
            )
        elif meant is not None or got is not None:
            same = meant is not None and got is not None and same_lightmap(meant, got)
            yield Fact(
                "light",
                node.id,
                "light written down",
                node.name,
                "a lightmap",
                "a lightmap" if got else "none",
                same,
                gone=got is None,
            )
        probed = delivered.nodes[node.id].probed if node.id in delivered.nodes else False
        if probed or (other is not None and other.probed):
            yield Fact(
                "light",
                node.id,
                "light by probes",
                node.name,
                "by probes",
                "by probes" if other and other.probed else "none",
                bool(other and other.probed and probed),
            )
    sent, came = delivered.probes, arrival.probes
    if sent or came:
        same = len(sent) == len(came) and all(
            _near(a.position, b.position) and all(_near(x, y) for x, y in zip(a.lux, b.lux))
            for a, b in zip(sent, came)
        )
        yield Fact(
            "light",
            "scene",
            "probes",
            "Probes",
            f"{len(sent)} probes",
            f"{len(came)} probes",
            same,
            gone=not came,
        )


def same_lightmap(meant: Lightmap, got: Lightmap) -> bool:
    """Whether a lightmap lies where it was laid, at its level."""
    numbers = [*zip(meant.scale, got.scale), *zip(meant.offset, got.offset)]
    return (
        meant.uv_set == got.uv_set
        and math.isclose(meant.level, got.level, rel_tol=_SHARE)
        and all(abs(a - b) <= 1e-5 for a, b in numbers)
    )


def _near(first: Any, second: Any) -> bool:
    return all(math.isclose(a, b, rel_tol=_SHARE, abs_tol=1e-6) for a, b in zip(first, second))


def camera_facts(
    reference: Scene, arrival: Scene, pairs: Pairs, promises: dict[Any, Passage]
) -> Iterator[Fact]:
    """Facts of every camera by its node."""
    for node in reference.nodes.values():
        other = arrival.nodes.get(pairs.nodes.get(node.id, ""))
        camera = reference.cameras.get(node.camera or "")
        got = arrival.cameras.get(other.camera or "") if other is not None else None
        if camera is None and got is None:
            continue
        promise = promises.get(("motion", node.id, "camera"))
        stand_in = promise.stand_in if promise is not None else None
        same = camera is not None and got is not None and _same_camera(camera, got)
        kept = got is not None and stand_in is not None and _same_camera(stand_in, got)
        name = camera.name if camera is not None else node.name
        yield Fact(
            "motion",
            node.id,
            "camera",
            name,
            _framed(camera),
            _framed(got),
            same,
            gone=got is None,
            kept=kept,
        )


def _same_camera(meant: Camera, got: Camera) -> bool:
    """Clipping and frame where they are stated; the sensor where it decides how soft things are."""
    if meant.lens_radius_m == 0:
        meant, got = (
            replace(meant, sensor_mm=0.0, focus_m=None, f_stop=None),
            replace(got, sensor_mm=0.0) if got.lens_radius_m == 0 else got,
        )
        got = replace(got, focus_m=None, f_stop=None) if got.lens_radius_m == 0 else got
    for one in fields(Camera):
        a, b = getattr(meant, one.name), getattr(got, one.name)
        if one.name in ("id", "name", "shift") or a is None:
            if a is None and one.name in ("focus_m", "f_stop") and b is not None:
                return False
            continue
        if b is None or not math.isclose(a, b, rel_tol=1e-4, abs_tol=1e-7):
            return False
    return _near(meant.shift, got.shift)


def _framed(camera: Camera | None) -> str:
    if camera is None:
        return "not there"
    right, down = camera.shift
    sharp = f", f/{camera.f_stop:.3g} at {camera.focus_m:.4g} m" if camera.f_stop and camera.focus_m else ""
    return (
        f"{math.degrees(camera.yfov_rad):.4g}° high"
        + (f", {camera.aspect:.4g} : 1" if camera.aspect else "")
        + sharp
        + (f", shifted {100 * right:+.3g} % right and {100 * down:+.3g} % down" if right or down else "")
    )
