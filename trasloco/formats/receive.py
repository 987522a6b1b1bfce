"""From a delivery to one neutral scene: what each file is, by content, and how they belong together."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from trasloco.at_rest import Bytes
from trasloco.errors import Refused
from trasloco.formats.assembling import assembled, with_library
from trasloco.formats.bundle import Bundle, bundle_files
from trasloco.formats.gltf_read import read_gltf
from trasloco.formats.legible import legible_names
from trasloco.formats.obj_read import read_obj
from trasloco.formats.ply_read import read_ply
from trasloco.formats.reading import Read
from trasloco.formats.sane import with_sane_numbers
from trasloco.formats.stl_read import read_stl
from trasloco.formats.swatches import laid_out
from trasloco.scene.findings import Finding
from trasloco.scene.ids import IdMaker
from trasloco.scene.image_kinds import EXTENSIONS, sniff_image
from trasloco.scene.images import identify
from trasloco.scene.lit import Environment
from trasloco.scene.model import Scene

_SIDE_FILES = {"bin", "mtl", "txt", "md", "json", "toml", "pdf", "csv", "xml"}


def _collada(path: str, bundle: Bundle) -> Read:
    from trasloco.formats.collada_read import read_collada

    return read_collada(path, bundle)


def _usd(path: str, bundle: Bundle) -> Read:
    from trasloco.formats.usd_read import read_usd

    return read_usd(path, bundle)


def _library(path: str, bundle: Bundle) -> Read:
    from trasloco.formats.mtlx_read import read_materialx

    return read_materialx(path, bundle)


# Readers that stand on a large library load it when there is something to read.
_READERS: dict[str, Callable[[str, Bundle], Read]] = {
    "gltf": read_gltf,
    "obj": read_obj,
    "ply": read_ply,
    "stl": read_stl,
    "collada": _collada,
    "usd": _usd,
    "library": _library,
}
_BY_EXTENSION = {
    "glb": "gltf",
    "gltf": "gltf",
    "obj": "obj",
    "ply": "ply",
    "stl": "stl",
    "dae": "collada",
    "usd": "usd",
    "usda": "usd",
    "usdc": "usd",
    "usdz": "usd",
    "mtlx": "library",
}
ENDINGS = frozenset({f".{one}" for one in _BY_EXTENSION if one != "mtlx"} | {".zae", ".zip"})
"""Of files that may be a delivery by themselves."""
FORMATS = "glTF (.glb, .gltf), OpenUSD (.usd, .usda, .usdc, .usdz), COLLADA (.dae, .zae), OBJ, PLY, STL or MaterialX (.mtlx)"


@dataclass(frozen=True)
class Received:
    """A received scene, still in its own conventions, and what was noticed on the way in.

    ``models`` are the paths it was read from.
    """

    scene: Scene
    findings: tuple[Finding, ...]
    models: tuple[str, ...] = ()


def kind_of(path: str, data: Bytes) -> str:
    """The reader's name, ``image``, ``side`` (goes with another file) or ``unknown``.

    Content counts before extension.
    """
    extension = posixpath.splitext(path)[1].lower().lstrip(".")
    head = bytes(data[:4096]).lstrip()
    if data[:4] == b"glTF" or (head[:1] == b"{" and b'"asset"' in head and extension != "json"):
        return "gltf"
    if data[:8] == b"PXR-USDC" or head[:5] == b"#usda":
        return "usd"
    if data[:4] in (b"ply\n", b"ply\r"):
        return "ply"
    if b"<COLLADA" in head:
        return "collada"
    if b"<materialx" in head:
        return "library"
    if sniff_image(data) is not None:
        return "image"
    if extension in ("mtl", "bin", "txt", "md", "pdf"):
        return "side"
    if extension in _BY_EXTENSION:
        return _BY_EXTENSION[extension]
    if extension in EXTENSIONS:
        return "image"
    return "side" if extension in _SIDE_FILES else "unknown"


def receive(files: Mapping[str, Bytes]) -> Received:
    """Read a delivery: one file, an archive, or many files.

    Raises:
        Refused: nothing in it can be read; the message names the file and what would help.
    """
    bundle = bundle_files(files)
    kinds = {path: kind_of(path, data) for path, data in bundle.files.items()}
    models = [path for path, kind in kinds.items() if kind in _READERS]
    if models and all(not bundle.files[path] for path in models):
        raise Refused("The file is empty.", models[0], "Copy or export it again.")
    if not models:
        _refuse_without_model(bundle, kinds)
    findings: list[Finding] = []
    read = _read_models(bundle, kinds, [path for path in models if bundle.files[path]], findings)
    scenes = [scene for path, (scene, _, _) in read.items() if kinds[path] != "library"]
    libraries = {path: scene for path, (scene, _, _) in read.items() if kinds[path] == "library"}
    findings += [finding for _, noticed, _ in read.values() for finding in noticed]
    used = {path for _, _, touched in read.values() for path in touched}
    if scenes:
        scene = scenes[0] if len(scenes) == 1 else assembled(scenes, findings)
        for path, library in libraries.items():
            scene = with_library(scene, library, path, findings)
    else:
        merged = list(libraries.values())
        scene = laid_out(merged[0] if len(merged) == 1 else assembled(merged, findings))
    scene = _with_loose_images(scene, bundle, kinds, used)
    findings += [
        Finding(f"packed:{path}", "packed", title, path, consequence, weight=60)
        for path, title, consequence in bundle.notes
    ]
    for path, data in bundle.files.items():
        if not data:
            findings.append(
                Finding(f"empty:{path}", "empty", "An empty file", path, "It carries nothing.", weight=15)
            )
    for path, kind in kinds.items():
        if kind == "unknown" and path not in used:
            findings.append(
                Finding(
                    f"unknown:{path}",
                    "unknown",
                    "A format that is not read",
                    path,
                    "It is closed or unknown, and does not travel. An open format such as glTF would keep most of it.",
                    weight=6,
                )
            )
    scene, odd = with_sane_numbers(scene)
    scene, cleaned = legible_names(scene)
    findings += [*odd, *cleaned]
    return Received(scene, tuple(findings), tuple(path for path in read if kinds[path] != "library"))


def _read_models(
    bundle: Bundle, kinds: Mapping[str, str], models: list[str], findings: list[Finding]
) -> dict[str, Read]:
    """What each model file gives, without those that are only a piece of another (a referenced layer).

    Raises:
        Refused: the only model, or every one of several, cannot be read.
    """
    read: dict[str, Read] = {}
    refusals: list[Refused] = []
    for path in models:
        try:
            read[path] = _READERS[kinds[path]](path, bundle)
        except Refused as refusal:
            refusals.append(refusal)
            findings.append(
                Finding(
                    f"unreadable:{path}",
                    "unreadable",
                    "A model file cannot be read",
                    f"{path} · {refusal.what}",
                    f"Its parts are missing from the move. {refusal.remedy}",
                    weight=95,
                )
            )
    if not read:
        raise (
            refusals[0]
            if len(refusals) == 1
            else Refused(
                "None of the model files can be read.",
                ", ".join(models)[:200],
                f"{refusals[0].what} {refusals[0].remedy}",
            )
        )
    pieces = {path for other, (_, _, touched) in read.items() for path in touched if path != other}
    return {path: found for path, found in read.items() if path not in pieces or len(read) == 1}


def read_one(path: str, bundle: Bundle) -> Scene | None:
    """One model of a delivery by itself; None where the file is no model.

    Raises:
        Refused: it cannot be read.
    """
    reader = _READERS.get(kind_of(path, bundle.files[path]))
    return reader(path, bundle)[0] if reader is not None else None


def split_delivery(files: Mapping[str, Bytes]) -> dict[str, dict[str, Bytes]]:
    """The delivery as one delivery a model: name to files. Files that no model uses go with each; a single
    model comes back alone.

    Raises:
        Refused: as :func:`receive`.
    """
    bundle = bundle_files(files)
    kinds = {path: kind_of(path, data) for path, data in bundle.files.items()}
    models = [path for path, kind in kinds.items() if kind in _READERS and bundle.files[path]]
    if not models:
        _refuse_without_model(bundle, kinds)
    read = _read_models(bundle, kinds, models, [])
    taken = {path for _, _, touched in read.values() for path in touched}
    shared = {
        path: data for path, data in bundle.files.items() if path not in taken and kinds[path] not in _READERS
    }
    libraries = {path: bundle.files[path] for path in read if kinds[path] == "library"}
    found: dict[str, dict[str, Bytes]] = {}
    for path, (scene, _, touched) in read.items():
        if kinds[path] != "library" or len(libraries) == len(read):
            name = scene.name if scene.name not in found else path
            found[name] = {
                **{p: bundle.files[p] for p in sorted(touched) if p in bundle.files},
                path: bundle.files[path],
                **shared,
                **libraries,
            }
    return found


def _refuse_without_model(bundle: Bundle, kinds: dict[str, str]) -> None:
    names = sorted(bundle.files)
    if not names:
        raise Refused("The delivery holds no files.", "the delivery", f"Choose a scene file: {FORMATS}.")
    if all(not bundle.files[path] for path in names):
        raise Refused("The file is empty.", names[0], "Copy or export it again.")
    strange = [path for path in names if kinds[path] == "unknown"]
    if strange:
        extension = posixpath.splitext(strange[0])[1].lower() or "without an extension"
        raise Refused(
            f"The format {extension} is closed or unknown and cannot be read.",
            strange[0],
            "Export it in an open format: glTF (.glb) or OpenUSD keeps most of a scene with its motion, OBJ with MTL its shapes and images; a layered picture keeps most as 16-bit TIFF or PNG.",
        )
    raise Refused(
        "There is no scene in the delivery.",
        names[0] if len(names) == 1 else f"{len(names)} files",
        f"Add the model file: {FORMATS}.",
    )


def _with_loose_images(scene: Scene, bundle: Bundle, kinds: dict[str, str], used: set[str]) -> Scene:
    """Images nobody refers to come along as candidates; a floating-point one twice as wide as high lights the
    scene.
    """
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
