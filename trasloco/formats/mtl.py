"""MTL material libraries with the PBR statements (Pr, Pm, Ps, Pc, Pcr, norm, ...)."""

from __future__ import annotations

import posixpath
from collections.abc import Callable
from dataclasses import dataclass

from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Input, Material, Texture

_OPTION_ARITY = {
    "-blendu": 1,
    "-blendv": 1,
    "-boost": 1,
    "-mm": 2,
    "-texres": 1,
    "-clamp": 1,
    "-bm": 1,
    "-imfchan": 1,
    "-type": 1,
    "-cc": 1,
}


@dataclass(frozen=True)
class MapStatement:
    """A parsed map: file as written, and its options."""

    file: str
    strength: float = 1.0
    channel: str = ""
    offset: tuple[float, float] = (0.0, 0.0)
    scale: tuple[float, float] = (1.0, 1.0)
    clamp: bool = False


def parse_map(words: list[str]) -> MapStatement:
    """Options and file name of a ``map_*`` statement; a name may hold blanks."""
    at, strength, channel, clamp = 0, 1.0, "", False
    offset, scale = (0.0, 0.0), (1.0, 1.0)
    while at < len(words) - 1 and words[at].startswith("-"):
        option = words[at]
        if option in ("-o", "-s", "-t"):
            values: list[float] = []
            at += 1
            while at < len(words) - 1 and len(values) < 3 and _is_number(words[at]):
                values.append(float(words[at]))
                at += 1
            if option != "-t" and values:
                pair = (values[0], values[1] if len(values) > 1 else values[0])
                offset, scale = (pair, scale) if option == "-o" else (offset, pair)
            continue
        arity = _OPTION_ARITY.get(option, 0)
        if arity and at + 1 < len(words):
            value = words[at + 1]
            strength = float(value) if option == "-bm" and _is_number(value) else strength
            channel = value if option == "-imfchan" else channel
            clamp = value == "on" if option == "-clamp" else clamp
        at += 1 + arity
    return MapStatement(" ".join(words[at:]), strength, channel, offset, scale, clamp)


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


_MAPS = {key: row for row in INPUTS.values() for key in row.mtl.maps}
_VALUES = {row.mtl.value: row for row in INPUTS.values() if row.mtl.value}
PHONG = "It scales a highlight that no measured surface has, and says nothing of reflectance: it stays behind, and the surface reflects as glass and lacquer do. Black is kept: no shine at all."
_QUIET = {"tf", "illum", "ka", "ks", "ns", "sharpness", "anisor"}


def read_mtl(
    text: str,
    path: str,
    id_of: Callable[[str], str],
    image_of: Callable[[str, str], str],
    unread: Callable[[str, str], None],
    phong: Callable[[str, tuple[float, ...]], None] = lambda name, shine: None,
) -> list[Material]:
    """Materials of a library.

    ``image_of(file, path)`` gives an image id for a reference; ``unread(statement, material)`` hears of what
    is not understood,
    ``phong(material, Ks)`` of the strength of Phong's highlight, which is no reflectance. Black Ks is kept:
    no shine at all.
    A factor beside an image multiplies it, as the specification says of Kd with map_Kd. A specular exponent
    Ns stands for a
    roughness of (2 / (Ns + 2))^(1/4) only where no Pr is given (Walter et al. 2007: alpha^2 = 2 / (Ns + 2),
    alpha = roughness^2).
    """
    materials: list[Material] = []
    name = ""
    values: dict[str, tuple[float, ...]] = {}
    maps: dict[str, MapStatement] = {}
    exponent: float | None = None
    transmission = False
    shine: tuple[float, ...] | None = None

    def finish() -> None:
        if (
            shine is not None and "roughness" not in values and "roughness" not in maps
        ):  # else Phong is not what is meant
            if not any(shine):
                values["specular"] = (0.0,)
            elif shine != (1.0, 1.0, 1.0):
                phong(name, shine)
        if name:
            materials.append(_build(id_of(name), name, values, maps, exponent, transmission, path, image_of))

    for line in text.splitlines():
        words = line.split("#", 1)[0].split()
        if not words:
            continue
        key, rest = words[0].lower(), words[1:]
        if key == "newmtl":
            finish()
            name, values, maps, exponent, transmission = " ".join(rest) or "unnamed", {}, {}, None, False
            shine = None
        elif key in _MAPS and rest:
            maps[_MAPS[key].name] = parse_map(rest)
        elif key == "ns" and rest and _is_number(rest[0]):
            exponent = float(rest[0])
        elif key == "ks" and len(rest) in (1, 3) and all(_is_number(w) for w in rest):
            shine = tuple((([float(w) for w in rest]) * 3)[:3])
        elif key == "tr" and rest and _is_number(rest[0]):
            values["opacity"] = (1 - float(rest[0]),)
        elif key in _VALUES and rest and all(_is_number(w) for w in rest):
            row = _VALUES[key]
            # One number of a colour stands for all three channels.
            values[row.name] = tuple(([float(w) for w in rest] * 3)[: row.channels])
        elif key not in _QUIET:
            unread(words[0], name)
    finish()
    return materials


def _build(
    id: str,
    name: str,
    values: dict[str, tuple[float, ...]],
    maps: dict[str, MapStatement],
    exponent: float | None,
    transmission: bool,
    path: str,
    image_of: Callable[[str, str], str],
) -> Material:
    inputs: dict[str, Input] = {}
    for target, statement in maps.items():
        row = INPUTS[target]
        channels = row.written_channels
        if target == "opacity" and statement.channel in ("m", "a"):
            channels = "a"
        wrap = ("clamp", "clamp") if statement.clamp else ("repeat", "repeat")
        # MTL's v runs up: v_down = 1 - v_up, so offsets and scales turn with it.
        offset = (statement.offset[0], 1 - statement.scale[1] - statement.offset[1])
        texture = Texture(
            image_of(statement.file, path),
            channels,
            "srgb" if row.color else "linear",
            scale=statement.scale,
            offset=offset,
            wrap=wrap,
            strength=statement.strength,
        )
        factor = values.get(target, row.default if row.holds == "vector" else (1.0,) * row.channels)
        if target in ("emission", "sheen_color") and not any(factor):
            factor = (1.0, 1.0, 1.0)
        if target == "roughness" and factor == (0.0,):
            factor = (1.0,)
        inputs[target] = Input(factor, texture)
    for target, factor in values.items():
        if (
            target not in inputs
            and not (target == "emission" and not any(factor))
            and not (target == "opacity" and factor == (1.0,))
        ):
            inputs[target] = Input(factor)
    if "roughness" not in inputs:
        rough = (2 / (exponent + 2)) ** 0.25 if exponent is not None else 0.8
        inputs["roughness"] = Input((rough,), origin="file" if exponent is not None else "guess")
    inputs.setdefault("base_color", Input((0.8, 0.8, 0.8), origin="guess"))
    inputs.setdefault("metalness", Input((0.0,), origin="guess"))
    base = inputs["base_color"]
    inputs["base_color"] = Input(base.factor, base.texture, vertex_color=True, origin=base.origin)
    emission = inputs.get("emission")
    if emission is not None and max(emission.factor) > 1:
        top = max(emission.factor)
        inputs["emission"] = Input(tuple(c / top for c in emission.factor), emission.texture)
        inputs["emission_strength"] = Input((top,))
    mode = "opaque"
    if "opacity" in inputs:
        mode = "mask" if inputs["opacity"].texture is not None else "blend"
    return Material(
        id,
        name,
        inputs,
        mode,  # type: ignore[arg-type]
        0.5,
        double_sided=mode == "mask",
        payload={"library": posixpath.basename(path)},
    )  # type: ignore[arg-type]
