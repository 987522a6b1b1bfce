"""Light that came along written down, as the destination reads it."""

from __future__ import annotations

import posixpath
from collections.abc import Mapping
from dataclasses import replace

from trasloco.light.surroundings import radiance_of
from trasloco.light_codes.codes import written
from trasloco.scene.images import Image, identify
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


def passed_on(delivered: Scene, reference: Scene, destination: Sheet) -> tuple[Scene, Mapping[str, Image]]:
    """The delivered scene with the reference's own lightmaps in the destination's encoding, and their files;
    without them where none are taken.
    """
    files: dict[str, Image] = {}
    levels: dict[str, float] = {}
    nodes = dict(delivered.nodes)
    for node in delivered.parts():
        own = reference.nodes.get(node.id)
        given = own.lightmap if own is not None else None
        image = reference.images.get(given.image) if given is not None else None
        if given is None or image is None or not image.usable or not destination.lightmaps.taken:
            nodes[node.id] = replace(node, lightmap=None)
            continue
        id = f"image:received light {given.image}"
        if id not in files:
            data, kind, level = written(
                radiance_of(image, 1.0), destination.lightmaps.encoding, destination.lightmaps.compressed
            )
            name = f"received-light-{len(files) + 1}.{kind}"
            files[id] = identify(
                id,
                name,
                posixpath.join(destination.images.folder, name) if destination.images.folder else name,
                data,
            )
            levels[id] = level
        nodes[node.id] = replace(node, lightmap=replace(given, image=id, level=given.level * levels[id]))
    return replace(delivered, nodes=nodes, images={**delivered.images, **files}), files
