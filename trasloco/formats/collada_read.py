"""COLLADA 1.4 and 1.5 to the neutral scene."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.collada_document import Document, numbers, parse_xml
from trasloco.formats.collada_effects import Effects
from trasloco.formats.collada_geometry import Piece, read_geometry
from trasloco.formats.collada_lens import KINDS, angle_of, light_of
from trasloco.formats.collada_motion import SkinSource, morph_inputs, read_clips, read_skin
from trasloco.formats.collada_transforms import LENGTHS, node_matrix, stack
from trasloco.formats.reading import Notes, Read, weights_on
from trasloco.limits import LIMITS
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Declared, Material, Mesh, MorphTarget, Node, Primitive, Scene, Skin

_SKIPPED = {"asset", "extra", "instance_physics_model"}


def read_collada(path: str, bundle: Bundle) -> Read:
    """Read the COLLADA document at ``path``.

    Raises:
        Refused: broken or hostile XML, another kind of document, no scene, nodes that contain themselves.
    """
    root = parse_xml(bundle.held(path), path)
    if root.tag != "COLLADA":
        raise Refused("The content is not a COLLADA document.", path, "Export it again.")
    reader = _Reader(Document(root, Notes(path, bundle, used={path})))
    try:
        scene = reader.scene()
    except (ValueError, IndexError, OverflowError, TypeError) as error:
        raise Refused(f"The document is damaged ({error}).", path, "Export it again.") from None
    return scene, reader.notes.findings, reader.notes.used


class _Reader:
    def __init__(self, document: Document) -> None:
        self.document, self.notes = document, document.notes
        self.effects = Effects(document)
        self.nodes: dict[str, Node] = {}
        self.meshes: dict[str, Mesh] = {}
        self.materials: dict[str, Material] = {}
        self.lights: dict[str, Light] = {}
        self.cameras: dict[str, Camera] = {}
        self.skins: dict[str, Skin] = {}
        self.part_of: dict[str, str] = {}
        self.sid_of: dict[str, str] = {}
        self.shaped: dict[str, str] = {}
        self.waiting: list[tuple[str, SkinSource]] = []
        self._pieces: dict[str, list[Piece]] = {}
        self._made: dict[Any, str] = {}
        self._material_of: dict[str, str] = {}
        self._unworn: set[str] = set()  # materials that only copies on other UV sets are worn of

    def scene(self) -> Scene:
        root = self.document.root
        instance = root.find("scene/instance_visual_scene")
        chosen = (
            self.document.target(instance.get("url"), "visual_scene")
            if instance is not None
            else root.find("library_visual_scenes/visual_scene")
        )
        if chosen is None:
            raise Refused(
                "The document holds no scene.", self.notes.where, "Check that the export includes the scene."
            )
        for child in chosen.findall("node"):
            self.node(child, None, "", 0, ())
        self._bind_skins()
        for library in ("library_physics_scenes", "library_force_fields", "library_kinematics_scenes"):
            if root.find(library) is not None:
                self.notes.note(
                    "unread",
                    "A part of the document is not read",
                    library.removeprefix("library_").replace("_", " "),
                    "It stays behind.",
                    weight=8,
                )
        if self.lights:
            self.notes.note(
                "assumed",
                "Lights have no unit here",
                f"{len(self.lights)} lights",
                "COLLADA gives a colour only; it is taken as candela, or lux for a sun. Set their strength in Light.",
                weight=25,
            )
        for id in self._unworn:
            del self.materials[id]
        clips = read_clips(self.document, self.part_of, self.shaped)
        unit, axis = root.find("asset/unit"), root.find("asset/up_axis")
        meter = float(unit.get("meter", 1)) if unit is not None else 1.0
        if not (math.isfinite(meter) and meter > 0):
            raise Refused(
                "The document's unit is not a length.", self.notes.where, "Set the unit and export it again."
            )
        declared = frozenset(
            ({"unit"} if unit is not None else set()) | ({"up_axis"} if axis is not None else set())
        )
        return Scene(
            self.notes.stem,
            self.nodes,
            self.meshes,
            self.materials,
            self.notes.images,
            self.lights,
            self.cameras,
            self.skins,
            {clip.id: clip for clip in clips},
            None,
            Declared(meter, "file" if unit is not None else "guess", "the document's asset"),
            Declared(
                ((axis.text or "Y_UP").strip()[:1] if axis is not None else "Y"),
                "file" if axis is not None else "guess",
                "the document's asset",
            ),
            declared,
        )

    def node(
        self, element: Element, parent: str | None, place: str, depth: int, path: tuple[int, ...]
    ) -> None:
        """A node with all below it.

        ``path`` holds the elements above, so that a node that instances itself is refused.
        """
        if depth > LIMITS.node_depth or id(element) in path or len(self.nodes) > LIMITS.nodes:
            raise Refused(
                "A node contains itself, lies too deep, or there are too many.",
                self.notes.where,
                "Export the file again.",
            )
        name = element.get("name") or element.get("id") or "node"
        here = f"{place}/{name}" if place else name
        part = self.notes.ids.make("part", here)
        layers = tuple((element.get("layer") or "").split()) or (self.nodes[parent].layers if parent else ())
        self.nodes[part] = Node(part, name, parent, node_matrix(stack(element)), layers=layers)
        if element.get("id"):
            self.part_of.setdefault(element.get("id", ""), part)
        if element.get("sid"):
            self.sid_of.setdefault(element.get("sid", ""), part)
        for child in element:
            if child.tag == "node":
                self.node(child, part, here, depth + 1, (*path, id(element)))
            elif child.tag == "instance_node":
                target = self.document.target(child.get("url"), "node")
                if target is not None:
                    self.node(target, part, here, depth + 1, (*path, id(element)))
            elif child.tag in ("instance_geometry", "instance_controller"):
                self._shape(child, part, name)
            elif child.tag == "instance_light":
                self._light(child, part)
            elif child.tag == "instance_camera":
                self._camera(child, part)
            elif child.tag not in LENGTHS and child.tag not in _SKIPPED:
                self.notes.note(
                    "unread",
                    "A kind of node content is not read",
                    f"{name} · {child.tag}",
                    "It stays behind.",
                    weight=8,
                )

    def _hang(self, part: str, **what: Any) -> str:
        """Put a mesh, light or camera on a part, or on a child of it when the place is taken."""
        node = self.nodes[part]
        if any(getattr(node, key) is not None for key in ("mesh", "light", "camera")):
            part = self.notes.ids.make("part", part.partition(":")[2])
            node = Node(part, node.name, node.id, np.eye(4))
        self.nodes[part] = replace(node, **what)
        return part

    def _shape(self, element: Element, part: str, name: str) -> None:
        reference = element.get("url")
        skin: SkinSource | None = None
        morph: Element | None = None
        if element.tag == "instance_controller":
            controller = self.document.target(reference, "controller")
            if controller is None:
                return
            skin = read_skin(self.document, controller)
            reference = skin.geometry if skin is not None else reference
            holder = self.document.by_id.get((reference or "").lstrip("#"))
            if holder is not None and holder.tag == "controller":
                morph = holder.find("morph")
                reference = morph.get("source") if morph is not None else None
        geometry = self.document.target(reference, "geometry")
        if geometry is None:
            return
        bound = {m.get("symbol", ""): m for m in element.iter("instance_material")}
        key = (
            id(geometry),
            morph.get("method") if morph is not None else None,
            tuple(self._target_names(morph)),
            (skin.point_joints.tobytes(), skin.point_weights.tobytes()) if skin is not None else None,
            tuple(
                (
                    s,
                    m.get("target"),
                    tuple((b.get("semantic"), b.get("input_set")) for b in m.findall("bind_vertex_input")),
                )
                for s, m in bound.items()
            ),
        )
        mesh = self._made.get(key)
        if mesh is None:
            label = geometry.get("name") or geometry.get("id") or name
            mesh = self._made[key] = self.notes.ids.make("mesh", label)
            pieces = self.pieces(geometry)
            targets = self._targets(morph) if morph is not None else []
            self.meshes[mesh] = Mesh(
                mesh,
                label,
                tuple(self._primitive(piece, bound, label, skin, geometry, targets) for piece in pieces),
                tuple(t for t, _ in targets),
            )
        on = [weights_on(self.document.source(one).ravel()) for one in morph_inputs(morph, "MORPH_WEIGHT")]
        hung = self._hang(part, mesh=mesh, shape_weights=on[0] if on else ())
        for source in morph_inputs(morph, "MORPH_WEIGHT"):
            self.shaped.setdefault(source.lstrip("#"), hung)
        if skin is not None:
            self.waiting.append((hung, skin))

    def pieces(self, geometry: Element) -> list[Piece]:
        id = geometry.get("id", "")
        if id not in self._pieces:
            self._pieces[id] = read_geometry(self.document, geometry)
        return self._pieces[id]

    def _primitive(
        self,
        piece: Piece,
        bound: dict[str, Element],
        label: str,
        skin: SkinSource | None,
        geometry: Element,
        targets: list[tuple[str, Any]],
    ) -> Primitive:
        primitive = piece.made.primitive
        point = piece.made.point
        binding = bound.get(piece.symbol)
        if binding is not None:
            material = self._material(binding, piece)
            primitive = replace(primitive, material=material)
        elif piece.symbol:
            self.notes.note(
                "no_material",
                "A material symbol is not bound",
                f"{label} · {piece.symbol}",
                "Its faces arrive grey.",
                weight=50,
            )
        if skin is not None and len(skin.point_joints) > int(point.max(initial=-1)):
            primitive = replace(primitive, joints=skin.point_joints[point], weights=skin.point_weights[point])
        base = self._positions(geometry)
        morphs = tuple(
            MorphTarget((points[point] - base[point]).astype(np.float32))
            for _, points in targets
            if len(points) == len(base)
        )
        return replace(primitive, morphs=morphs)

    def _positions(self, geometry: Element) -> Any:
        given = next(
            (i for i in geometry.findall("mesh/vertices/input") if i.get("semantic") == "POSITION"), None
        )
        return self.document.source(given.get("source")) if given is not None else np.zeros((0, 3))

    def _target_names(self, morph: Element | None) -> list[str]:
        return [n for one in morph_inputs(morph, "MORPH_TARGET")[:1] for n in self.document.names(one)]

    def _targets(self, morph: Element) -> list[tuple[str, Any]]:
        """Names and point tables of morph targets, relative ones made absolute."""
        base = self.document.target(morph.get("source"), "geometry")
        found: list[tuple[str, Any]] = []
        for name in self._target_names(morph):
            geometry = self.document.target(name, "geometry")
            if geometry is not None:
                points = self._positions(geometry)
                if (
                    morph.get("method") == "RELATIVE"
                    and base is not None
                    and points.shape == self._positions(base).shape
                ):
                    points = points + self._positions(base)
                found.append((geometry.get("name") or name, points))
        return found

    def _material(self, binding: Element, piece: Piece) -> str | None:
        """The material of a binding; UV symbols are resolved to sets, and a material bound differently
        elsewhere becomes a copy.
        """
        target = self.document.target(binding.get("target"), "material")
        if target is None:
            return None
        sets = {
            b.get("semantic", ""): int(b.get("input_set", 0)) for b in binding.findall("bind_vertex_input")
        }
        key = target.get("id", "")
        if key not in self._material_of:
            made = self.effects.material(target)
            self._material_of[key] = made.id
            self.materials[made.id] = made
            self._unworn.add(made.id)
        id = self._material_of[key]
        material = self.materials[id]
        wanted: dict[str, int] = {}
        for name, symbol in self.effects.texcoords.get(id, {}).items():
            number = sets.get(
                symbol, int(symbol) if symbol.isdigit() else (piece.uv_numbers[0] if piece.uv_numbers else 0)
            )
            wanted[name] = piece.uv_numbers.index(number) if number in piece.uv_numbers else 0
        signature = tuple(sorted(wanted.items()))
        if not any(wanted.values()):
            self._unworn.discard(id)
            return id
        copy = f"{key}|{signature}"
        if copy not in self._material_of:
            inputs = {
                n: replace(i, texture=replace(i.texture, uv_set=wanted.get(n, 0))) if i.texture else i
                for n, i in material.inputs.items()
            }
            other = replace(material, id=self.notes.ids.make("material", material.name), inputs=inputs)
            self.materials[other.id] = other
            self._material_of[copy] = other.id
        return self._material_of[copy]

    def _bind_skins(self) -> None:
        for part, source in self.waiting:
            joints = [self.sid_of.get(name) or self.part_of.get(name) for name in source.joints]
            lost = [name for name, joint in zip(source.joints, joints, strict=True) if joint is None]
            if lost:
                self.notes.note(
                    "dead_reference",
                    "A reference leads nowhere",
                    f"joints {', '.join(lost[:3])}",
                    "The part arrives stiff.",
                    weight=50,
                )
                continue
            id = self.notes.ids.make("skin", self.nodes[part].name)
            self.skins[id] = Skin(
                id, self.nodes[part].name, tuple(j for j in joints if j is not None), source.inverse_bind
            )
            self.nodes[part] = replace(self.nodes[part], skin=id)

    def _light(self, element: Element, part: str) -> None:
        target = self.document.target(element.get("url"), "light")
        holder = target.find("technique_common") if target is not None else None
        if target is None or holder is None or not len(holder):
            return
        shape, name = holder[0], target.get("name") or target.get("id") or "light"
        kind = KINDS.get(shape.tag)
        if kind is None:
            self.notes.note(
                "unread",
                "A kind of light is not read",
                f"{name} · {shape.tag}",
                "Light without a place stays behind; the environment takes its part.",
                weight=25,
            )
            return
        light = light_of(shape, self.notes.ids.make("light", name), name, kind)
        self.lights[light.id] = light
        self._hang(part, light=light.id)

    def _camera(self, element: Element, part: str) -> None:
        target = self.document.target(element.get("url"), "camera")
        lens = target.find("optics/technique_common") if target is not None else None
        if target is None or lens is None or not len(lens):
            return
        name = target.get("name") or target.get("id") or "camera"
        given = {child.tag: float(numbers(child, 1)[0]) for child in lens[0]}
        if lens[0].tag != "perspective":
            self.notes.note(
                "flat_camera",
                "A camera without perspective",
                name,
                "It is shown with a perspective of 40 degrees.",
            )
            given = {"yfov": 40.0}
        yfov, aspect = angle_of(given)
        camera = Camera(
            self.notes.ids.make("camera", name),
            name,
            min(max(yfov, 0.01), 3.1),
            aspect,
            max(given.get("znear", 0.01), 1e-6),
            given.get("zfar"),
        )
        self.cameras[camera.id] = camera
        self._hang(part, camera=camera.id)
