"""COLLADA effects (profile_COMMON) as neutral materials.

A shininess n of Phong or Blinn stands for a roughness of (2 / (n + 2))^(1/4) (Walter et al. 2007: alpha^2 = 2
/ (n + 2), alpha = roughness^2).
Opacity follows the specification's two modes and their mirror images in 1.5: ``A_ONE`` takes transparent's
alpha x transparency,
``RGB_ZERO`` takes 1 - luminance(transparent) x transparency.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote
from xml.etree.ElementTree import Element

from trasloco.formats.collada_document import Document, numbers
from trasloco.formats.mtl import PHONG
from trasloco.scene.model import Input, Material, Texture

_READ = {
    "emission",
    "ambient",
    "diffuse",
    "specular",
    "shininess",
    "reflective",
    "reflectivity",
    "transparent",
    "transparency",
    "index_of_refraction",
}
_LUMINANCE = (0.2126, 0.7152, 0.0722)


@dataclass(frozen=True)
class Shade:
    """A colour (r, g, b, a) or an image; ``texcoord`` is the symbol that binds it to a UV set, ``wrap`` what
    is beyond its border.
    """

    color: tuple[float, float, float, float] | None = None
    image: str | None = None
    texcoord: str = ""
    wrap: tuple[str, str] = ("repeat", "repeat")


def _wrap_of(param: Element | None) -> tuple[str, str]:
    """Wrapping of a sampler along s and t; what it leaves unsaid repeats."""
    told = [param.find(f"sampler2D/wrap_{axis}") if param is not None else None for axis in "st"]
    s, t = (_WRAPS.get((one.text or "").strip(), "repeat") if one is not None else "repeat" for one in told)
    return s, t


_WRAPS = {"WRAP": "repeat", "MIRROR": "mirror", "CLAMP": "clamp", "BORDER": "clamp", "NONE": "clamp"}


class Effects:
    """Reads effects once each. ``texcoords[material id]`` tells which symbol each input's image uses."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.texcoords: dict[str, dict[str, str]] = {}

    def material(self, element: Element) -> Material:
        """The neutral material of a ``material`` element."""
        name = element.get("name") or element.get("id") or "material"
        id = self.document.notes.ids.make("material", name)
        instance = element.find("instance_effect")
        effect = self.document.target(instance.get("url") if instance is not None else None, "effect")
        profile = effect.find("profile_COMMON") if effect is not None else None
        if profile is None:
            self.document.notes.note(
                "unread",
                "A material without a common profile",
                name,
                "Its look is described for one program only; it arrives grey.",
                (id,),
                weight=50,
            )
            return Material(
                id,
                name,
                {
                    "base_color": Input((0.5, 0.5, 0.5), origin="guess"),
                    "roughness": Input((0.8,), origin="guess"),
                    "metalness": Input((0.0,), origin="guess"),
                },
            )
        return self._profile(id, name, profile, instance, effect)

    def _profile(
        self, id: str, name: str, profile: Element, instance: Element | None, effect: Element | None
    ) -> Material:
        params = {
            p.get("sid", ""): p
            for holder in (effect, profile, profile.find("technique"))
            if holder is not None
            for p in holder.findall("newparam")
        }
        if instance is not None:
            params |= {p.get("ref", ""): p for p in instance.findall("setparam") if p.get("ref")}
        technique = profile.find("technique")
        shader = (
            next(
                (child for child in technique if child.tag in ("phong", "blinn", "lambert", "constant")), None
            )
            if technique is not None
            else None
        )
        if technique is None or shader is None:
            self.document.notes.note(
                "unread", "A material without a shading model", name, "It arrives grey.", (id,), weight=50
            )
            return Material(
                id,
                name,
                {
                    "base_color": Input((0.5, 0.5, 0.5), origin="guess"),
                    "roughness": Input((0.8,), origin="guess"),
                    "metalness": Input((0.0,), origin="guess"),
                },
            )
        inputs: dict[str, Input] = {}
        symbols: dict[str, str] = {}
        self.texcoords[id] = symbols

        def use(target: str, shade: Shade | None, channels: str, encoding: Any, count: int) -> None:
            if shade is None:
                return
            if shade.image is not None:
                symbols[target] = shade.texcoord
                inputs[target] = Input(
                    (1.0,) * count, Texture(shade.image, channels, encoding, wrap=shade.wrap)
                )
            elif shade.color is not None:
                inputs[target] = Input(shade.color[:count])

        diffuse = self._shade(shader.find("diffuse"), params)
        emission = self._shade(shader.find("emission"), params)
        use("base_color", diffuse if shader.tag != "constant" else emission, "rgb", "srgb", 3)
        if (
            shader.tag != "constant"
            and emission is not None
            and (emission.image or any((emission.color or (0, 0, 0))[:3]))
        ):
            use("emission", emission, "rgb", "srgb", 3)
        self._bump(profile, params, inputs, symbols)
        mode = self._opacity(shader, params, inputs, symbols)
        exponent = self._number(shader.find("shininess"), params)
        if exponent is not None and shader.tag in ("phong", "blinn"):
            inputs["roughness"] = Input(((2 / (max(exponent, 0.0) + 2)) ** 0.25,))
        ior = self._number(shader.find("index_of_refraction"), params)
        if ior is not None and 1 < ior < 4:
            inputs["ior"] = Input((ior,))
        specular = self._shade(shader.find("specular"), params)
        if specular is not None and specular.image is not None:
            use("specular_color", specular, "rgb", "srgb", 3)
        elif specular is not None and specular.color is not None and shader.tag in ("phong", "blinn"):
            shine = specular.color[:3]
            if not any(shine):
                inputs["specular"] = Input((0.0,))
            else:
                self.document.notes.note(
                    "phong_shine",
                    "How strongly it shines is told by Phong's constant",
                    f"{name} · specular {' '.join(f'{v:.3g}' for v in shine)}",
                    PHONG,
                    (id,),
                    weight=16,
                )
        inputs.setdefault("base_color", Input((0.5, 0.5, 0.5), origin="guess"))
        inputs.setdefault("roughness", Input((0.8,), origin="guess"))
        inputs.setdefault("metalness", Input((0.0,), origin="guess"))
        base = inputs["base_color"]
        inputs["base_color"] = Input(base.factor, base.texture, vertex_color=True, origin=base.origin)
        for child in shader:
            if child.tag not in _READ:
                self.document.notes.note(
                    "unread",
                    "A material statement is not understood",
                    f"{name} · {child.tag}",
                    "It is left out.",
                    (id,),
                    weight=8,
                )
        sides = any(
            (e.text or "").strip() in ("1", "true")
            for holder in (profile, effect)
            if holder is not None
            for e in holder.iter("double_sided")
        )
        return Material(id, name, inputs, mode, 0.5, sides, unlit=shader.tag == "constant")  # type: ignore[arg-type]

    def _bump(
        self, profile: Element, params: dict[str, Element], inputs: dict[str, Input], symbols: dict[str, str]
    ) -> None:
        for bump in profile.iter("bump"):
            shade = self._shade(bump, params)
            if shade is not None and shade.image is not None:
                normal = bump.get("bumptype", "").upper() == "NORMALMAP"
                target = "normal" if normal else "height"
                symbols[target] = shade.texcoord
                inputs[target] = Input(
                    (0.0, 0.0, 1.0) if normal else (1.0,),
                    Texture(shade.image, "rgb" if normal else "r", "linear", wrap=shade.wrap),
                )

    def _opacity(
        self, shader: Element, params: dict[str, Element], inputs: dict[str, Input], symbols: dict[str, str]
    ) -> str:
        """Fill in the opacity and return the alpha mode."""
        element = shader.find("transparent")
        shade = self._shade(element, params)
        amount = self._number(shader.find("transparency"), params)
        if shade is None and amount is None:
            return "opaque"
        opaque = element.get("opaque", "A_ONE") if element is not None else "A_ONE"
        strength = 1.0 if amount is None else min(max(amount, 0.0), 1.0)
        if shade is not None and shade.image is not None:
            symbols["opacity"] = shade.texcoord
            zero = opaque.endswith("_ZERO")
            inputs["opacity"] = Input(
                (strength,),
                Texture(
                    shade.image,
                    "a" if opaque.startswith("A") else "r",
                    "linear",
                    invert=zero,
                    wrap=shade.wrap,
                ),
            )
            if opaque.startswith("RGB"):
                self.document.notes.note(
                    "assumed",
                    "See-through by colour is read from the red channel",
                    shade.image,
                    "A coloured film arrives grey.",
                    weight=10,
                )
            return "mask"
        red, green, blue, alpha = (
            shade.color if shade is not None and shade.color is not None else (1.0, 1.0, 1.0, 1.0)
        )
        light = red * _LUMINANCE[0] + green * _LUMINANCE[1] + blue * _LUMINANCE[2]
        value = {
            "A_ONE": alpha * strength,
            "A_ZERO": 1 - alpha * strength,
            "RGB_ZERO": 1 - light * strength,
            "RGB_ONE": light * strength,
        }.get(opaque, alpha * strength)
        if value >= 1 - 1e-6:
            return "opaque"
        inputs["opacity"] = Input((max(value, 0.0),))
        return "blend"

    def _shade(self, element: Element | None, params: dict[str, Element]) -> Shade | None:
        if element is None:
            return None
        color = element.find("color")
        reference = element.find("param")
        if color is None and reference is not None:
            holder = params.get(reference.get("ref", ""))
            color = (
                next((c for tag in ("float3", "float4") for c in [holder.find(tag)] if c is not None), None)
                if holder is not None
                else None
            )
        if color is not None:
            values = [float(v) for v in numbers(color)]
            values = [*values[:4], *([0.0] * (3 - len(values))), 1.0][:4] if len(values) < 4 else values[:4]
            return Shade((values[0], values[1], values[2], values[3]))
        texture = element.find("texture")
        if texture is None:
            return None
        name = texture.get("texture", "")
        image = self._image(name, params)
        if image is None:
            return None
        return Shade(image=image, texcoord=texture.get("texcoord", ""), wrap=_wrap_of(params.get(name)))

    def _number(self, element: Element | None, params: dict[str, Element]) -> float | None:
        if element is None:
            return None
        found = element.find("float")
        reference = element.find("param")
        if found is None and reference is not None and reference.get("ref") in params:
            found = params[reference.get("ref", "")].find("float")
        values = numbers(found)
        return float(values[0]) if len(values) else None

    def _image(self, name: str, params: dict[str, Element]) -> str | None:
        """From a sampler's name through surface and image to an image id; exporters sometimes name the image
        itself.
        """
        for _ in range(4):
            holder = params.get(name)
            if holder is None:
                break
            step = next(
                (
                    e
                    for path in ("sampler2D/source", "sampler2D/instance_image", "surface/init_from")
                    for e in [holder.find(path)]
                    if e is not None
                ),
                None,
            )
            if step is None:
                break
            name = (step.get("url") or step.text or "").strip().lstrip("#")
        element = self.document.by_id.get(name)
        if element is None or element.tag != "image":
            self.document.notes.note(
                "dead_reference",
                "A reference leads nowhere",
                f"image {name}",
                "The input it feeds arrives empty.",
                weight=60,
            )
            return None
        given = element.find("init_from")
        reference = given.find("ref") if given is not None else None
        text = (
            (reference.text if reference is not None else given.text if given is not None else "") or ""
        ).strip()
        if not text:
            self.document.notes.note(
                "dead_reference",
                "An image without a file",
                name,
                "The input it feeds arrives empty.",
                weight=60,
            )
            return None
        return self.document.notes.image_of(unquote(text.removeprefix("file://")))
