"""Sound small deliveries in every format that is read, the file to be spoilt first."""

from __future__ import annotations

import io
import json
import struct
import zipfile
from collections.abc import Mapping

import alktx2
import trimesh


def deliveries() -> dict[str, Mapping[str, bytes]]:
    """By what they are."""
    from tests.core.reading import RED
    from tests.core.test_arrival import rich
    from tests.core.test_compressed import CompressedGltf
    from tests.core.test_readers import Libraries, collada
    from tests.core.test_usd_files import fill_stage, stage_bytes
    from tests.everything import everything
    from tests.making import noise_image
    from trasloco.formats.gltf_write import write_glb
    from trasloco.scene.images import encode, pixels

    box = trimesh.creation.icosphere(subdivisions=1)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("s.usda", stage_bytes(".usda", fill_stage))
        archive.writestr("media/red.png", RED)
    scene = write_glb(rich())
    document, binary = _apart(scene)
    squeezed = CompressedGltf()
    made: dict[str, Mapping[str, bytes]] = {
        "glb": {"a.glb": box.export(file_type="glb")},
        "scene": {"a.glb": scene},
        "everything": {"a.glb": write_glb(everything(3))},
        "gltf": {"a.gltf": document, "a.bin": binary},
        "gltf buffer": {"a.bin": binary, "a.gltf": document},
        "obj": {"a.obj": box.export(file_type="obj").encode()},
        "ply binary": {"a.ply": trimesh.exchange.ply.export_ply(box)},
        "ply text": {"a.ply": trimesh.exchange.ply.export_ply(box, encoding="ascii")},
        "stl binary": {"a.stl": box.export(file_type="stl")},
        "stl text": {"a.stl": box.export(file_type="stl_ascii").encode()},
        "collada": {"a.dae": collada(), "media/red one.png": RED},
        "materialx": {"a.mtlx": Libraries().library(), "red.png": RED},
        "usd text": {"a.usda": stage_bytes(".usda", fill_stage), "media/red.png": RED},
        "usd crate": {"a.usdc": stage_bytes(".usdc", fill_stage), "media/red.png": RED},
        "zip": {"a.zip": packed.getvalue()},
    }
    for name, (text, data) in (("draco", squeezed.draco()), ("meshopt", squeezed.meshopt())):
        made[name] = {"a.bin": data, "a.gltf": text}
    texels = pixels(noise_image("seed", 16, 16))
    plain = box.export(file_type="obj").encode()
    for kind in ("png", "jpg", "tif", "exr", "hdr", "tga", "bmp", "webp"):
        made[f"image {kind}"] = {f"map.{kind}": encode(texels, kind), "a.obj": b"mtllib a.mtl\nusemtl m\n" + plain,
                                 "a.mtl": f"newmtl m\nmap_Kd map.{kind}\n".encode()}  # fmt: skip
    made["image ktx2"] = {
        "map.ktx2": alktx2.encode_raw_rgba_to_ktx2(bytes(range(256)) * 2, 8, 16, codec="uastc"),
        "a.obj": plain,
    }
    return made


def _apart(glb: bytes) -> tuple[bytes, bytes]:
    """A GLB as a document and its buffer."""
    length = struct.unpack("<I", glb[12:16])[0]
    document = json.loads(glb[20 : 20 + length])
    document["buffers"][0]["uri"] = "a.bin"
    return json.dumps(document).encode(), glb[28 + length :]
