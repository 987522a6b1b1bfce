"""From a delivery to one neutral scene: what each file is, by content, and how they belong together."""

from __future__ import annotations

import posixpath
from collections.abc import Mapping
from dataclasses import dataclass, replace

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle, bundle_files
from trasloco.formats.gltf_read import read_gltf
from trasloco.formats.obj_read import read_obj
from trasloco.scene.findings import Finding
from trasloco.scene.ids import IdMaker
from trasloco.scene.images import EXTENSIONS, identify, sniff_image
from trasloco.scene.model import Environment, Scene

_SIDE_FILES = {"bin", "mtl", "txt", "md", "json", "toml", "pdf"}


@dataclass(frozen=True)
class Received:
    """A received scene, still in its own conventions, and what was noticed on the way in."""

    scene: Scene
    findings: tuple[Finding, ...]


def kind_of(path: str, data: bytes) -> str:
    """``gltf``, ``obj``, ``image``, ``side`` (goes with another file) or ``unknown``. Content counts before extension."""
    extension = posixpath.splitext(path)[1].lower().lstrip(".")
    if data[:4] == b"glTF" or extension in ("glb", "gltf"):
        return "gltf"
    if data[:1] == b"{" and b'"asset"' in data[:4096] and extension not in ("json",):
        return "gltf"
    if extension in ("mtl", "bin", "txt", "md", "pdf"):
        return "side"
    if sniff_image(data) is not None or extension in EXTENSIONS:
        return "image"
    if extension == "obj":
        return "obj"
    return "side" if extension in _SIDE_FILES else "unknown"


def receive(files: Mapping[str, bytes]) -> Received:
    """Read a delivery: one file, an archive, or many files.

    Raises:
        Refused: nothing in it can be read; the message names the file and what would help.
    """
    bundle = bundle_files(files)
    kinds = {path: kind_of(path, data) for path, data in bundle.files.items()}
    empty = [path for path, data in bundle.files.items() if not data]
    models = [path for path, kind in kinds.items() if kind in ("gltf", "obj")]
    findings: list[Finding] = []
    if models and all(not bundle.files[path] for path in models):
        raise Refused("The file is empty.", models[0], "Copy or export it again.")
    if not models:
        _refuse_without_model(bundle, kinds)
    scenes: list[Scene] = []
    used: set[str] = set()
    for path in models:
        if not bundle.files[path]:
            continue
        try:
            scene, noticed, touched = (read_gltf if kinds[path] == "gltf" else read_obj)(path, bundle)
        except Refused:
            if len(models) == 1:
                raise
            findings.append(Finding(f"unreadable:{path}", "unreadable", "A model file cannot be read", path, "Its parts are missing from the move.", weight=95))
            continue
        scenes.append(scene)
        findings += noticed
        used |= touched
    if not scenes:
        raise Refused("None of the model files can be read.", ", ".join(models)[:200], "Export them again as glTF 2.0.")
    scene = scenes[0] if len(scenes) == 1 else _assembled(scenes)
    scene = _with_loose_images(scene, bundle, kinds, used)
    for path in empty:
        findings.append(Finding(f"empty:{path}", "empty", "An empty file", path, "It carries nothing.", weight=15))
    for path, kind in kinds.items():
        if kind == "unknown":
            findings.append(Finding(f"unknown:{path}", "unknown", "A format that is not read", path, "It is closed or unknown, and does not travel. An open format such as glTF would keep most of it.", weight=6))
    return Received(scene, tuple(findings))


def _refuse_without_model(bundle: Bundle, kinds: dict[str, str]) -> None:
    names = sorted(bundle.files)
    if not names:
        raise Refused("The delivery holds no files.", "the delivery", "Choose a scene file: glTF (.glb, .gltf) or OBJ.")
    if all(not bundle.files[path] for path in names):
        raise Refused("The file is empty.", names[0], "Copy or export it again.")
    strange = [path for path in names if kinds[path] == "unknown"]
    if strange:
        extension = posixpath.splitext(strange[0])[1].lower() or "without an extension"
        raise Refused(f"The format {extension} is closed or unknown and cannot be read.", strange[0], "Export it in an open format: glTF (.glb) keeps most of a scene, OBJ with MTL its shapes and images.")
    raise Refused("There is no scene in the delivery: none of the files is glTF or OBJ.", names[0] if len(names) == 1 else f"{len(names)} files", "Add the model file: .glb, .gltf with its .bin, or .obj with its .mtl.")


def _with_loose_images(scene: Scene, bundle: Bundle, kinds: dict[str, str], used: set[str]) -> Scene:
    """Images nobody refers to come along as candidates; a floating-point one twice as wide as high lights the scene."""
    ids = IdMaker()
    for id in scene.images:
        kind, _, place = id.partition(":")
        ids.make(kind, place)
    images = dict(scene.images)
    loose: list[str] = []
    environment = scene.environment
    for path in sorted(kinds):
        if kinds[path] != "image" or path in used:
            continue
        image = identify(ids.make("image", path), posixpath.basename(path), path, bundle.files[path])
        images[image.id] = image
        if environment is None and image.usable and image.floating and image.width == 2 * image.height:
            environment = Environment(image.id, level=12.0)
        else:
            loose.append(image.id)
    return replace(scene, images=images, environment=environment, loose_images=tuple(loose))


def _assembled(scenes: list[Scene]) -> Scene:
    """Several models as one scene: later ones get ids that do not clash, and keep their own unit and axis only if all agree."""
    first = scenes[0]
    merged = first
    for number, other in enumerate(scenes[1:], 2):
        other = _renamed(other, f"@{number}")
        merged = replace(
            merged, nodes={**merged.nodes, **other.nodes}, meshes={**merged.meshes, **other.meshes}, materials={**merged.materials, **other.materials}, images={**merged.images, **other.images},
            lights={**merged.lights, **other.lights}, cameras={**merged.cameras, **other.cameras}, skins={**merged.skins, **other.skins}, clips={**merged.clips, **other.clips}, declares=merged.declares & other.declares,
        )
    return merged


def _renamed(scene: Scene, mark: str) -> Scene:
    """The same scene with ``mark`` behind every id."""

    def new(id: str | None) -> str | None:
        return None if id is None else id + mark

    nodes = {n.id + mark: replace(n, id=n.id + mark, parent=new(n.parent), mesh=new(n.mesh), light=new(n.light), camera=new(n.camera), skin=new(n.skin)) for n in scene.nodes.values()}
    meshes = {m.id + mark: replace(m, id=m.id + mark, primitives=tuple(replace(p, material=new(p.material)) for p in m.primitives)) for m in scene.meshes.values()}
    materials = {}
    for m in scene.materials.values():
        inputs = {k: replace(i, texture=replace(i.texture, image=i.texture.image + mark)) if i.texture else i for k, i in m.inputs.items()}
        materials[m.id + mark] = replace(m, id=m.id + mark, inputs=inputs, back=new(m.back))
    return replace(
        scene, nodes=nodes, meshes=meshes, materials=materials,
        images={k + mark: replace(v, id=k + mark) for k, v in scene.images.items()}, lights={k + mark: replace(v, id=k + mark) for k, v in scene.lights.items()}, cameras={k + mark: replace(v, id=k + mark) for k, v in scene.cameras.items()},
        skins={k + mark: replace(v, id=k + mark, joints=tuple(j + mark for j in v.joints)) for k, v in scene.skins.items()},
        clips={k + mark: replace(v, id=k + mark, channels=tuple(replace(c, node=c.node + mark) for c in v.channels)) for k, v in scene.clips.items()},
    )
