"""Which part lies where in which lightmap, and at how many texels a metre."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from trasloco.light.lightmaps.bake_wish import Wish, excuses
from trasloco.light.lightmaps.charts import Charts, slopes, with_light_uvs
from trasloco.light.lightmaps.density import areas, densities
from trasloco.light.lightmaps.placing import LEAST, Placed, one_each, together
from trasloco.light_codes.codes import BYTES_OF_DIRECTION, bytes_a_texel
from trasloco.progress import Progress, silent
from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Lightmap, Scene
from trasloco.sheets.model import Lightmaps

MIB = 2**20


def map_image(number: int) -> str:
    """Id of the image of a lightmap."""
    return f"image:lightmap {number}"


@dataclass(frozen=True)
class PartPlace:
    """Number of a part's lightmap, the texels that it takes there, and their memory on arrival."""

    number: int
    width: int
    height: int
    memory_kib: float


@dataclass(frozen=True)
class Laid:
    """Parts laid out for light.

    Attributes:
        scene: with UV sets for light and each part's place in ``Node.lightmap``, whose images are not there
            yet. sizes: (width, height) of each lightmap.
        density: texels per metre by part, as laid out. charts: by mesh. excused: why other parts receive
            none.
        places: by part. memory_mib: of all images on arrival.
    """

    scene: Scene
    sizes: tuple[tuple[int, int], ...]
    density: Mapping[str, float]
    charts: Mapping[str, Charts]
    excused: Mapping[str, str]
    places: Mapping[str, PartPlace]
    memory_mib: float


def texels_for(rules: Lightmaps, wish: Wish) -> tuple[float, int]:
    """Texels that the memory given holds, and the bytes of each: light, and where it comes from if that is
    told.
    """
    each = bytes_a_texel(rules.encoding, rules.compressed) + (BYTES_OF_DIRECTION if wish.directed else 0)
    return wish.budget_mib * MIB / each, each


def lay_out(
    scene: Scene,
    rules: Lightmaps,
    wish: Wish,
    progress: Progress = silent,
    change: Mapping[str, float] | None = None,
) -> Laid:
    """Charts and places for every part that receives light, within the memory that was given. ``change``
    weighs parts by how fast light changes on them.

    Raises:
        Refused: no charts can be made for a mesh.
    """
    excused = excuses(scene, wish)
    parts = [part.id for part in scene.parts() if part.id not in excused]
    if not parts:
        return Laid(scene, (), {}, {}, excused, {}, 0.0)
    budget, each = texels_for(rules, wish)
    density = densities(scene, parts, budget, wish, change)
    size = areas(scene, parts)
    sides: dict[str, int] = {}
    for part in parts:
        mesh = scene.nodes[part].mesh or ""
        sides[mesh] = max(
            sides.get(mesh, 16), _power_of_two(min(np.sqrt(size[part] / 0.6) * density[part], rules.largest))
        )
    scene, charts = with_light_uvs(scene, sides, progress)
    spans = {part: _span(scene, part, charts[scene.nodes[part].mesh or ""].uv_set) for part in parts}
    scale = 1.0
    for _ in range(20):
        wanted = {}
        for part in parts:
            d = density[part] * (1.0 if part in wish.density else scale)
            wanted[part] = tuple(
                int(np.clip(np.ceil(span * d), LEAST, rules.largest)) for span in spans[part]
            )
        placed: Placed = (one_each if rules.packing == "one a part" else together)(wanted, rules.largest)  # type: ignore[arg-type]
        memory = sum(w * h for w, h in placed.sizes) * each / MIB
        if (
            memory <= wish.budget_mib
            or all(part in wish.density for part in parts)
            or (wish.density and scale < 0.7)
        ):
            break
        scale *= 0.88
    nodes = dict(scene.nodes)
    laid_density, places = {}, {}
    for part in parts:
        place = placed.places[part]
        width, height = placed.sizes[place.image]
        nodes[part] = replace(
            nodes[part],
            lightmap=Lightmap(
                map_image(place.image),
                charts[nodes[part].mesh or ""].uv_set,
                (place.width / width, place.height / height),
                (place.x / width, place.y / height),
            ),
        )
        places[part] = PartPlace(
            place.image, place.width, place.height, place.width * place.height * each / 1024
        )
        laid_density[part] = float(
            np.sqrt(place.width / max(spans[part][0], 1e-9) * place.height / max(spans[part][1], 1e-9))
        )
    return Laid(replace(scene, nodes=nodes), placed.sizes, laid_density, charts, excused, places, memory)


def _power_of_two(side: float) -> int:
    """In steps, so that a little more or less density asks for the same charts."""
    return int(2 ** np.round(np.log2(max(side, 16.0))))


def _span(scene: Scene, part: str, uv_set: int) -> tuple[float, float]:
    """Metres in the world that the whole square of a part's UV set stands for, along u and v: the mean over
    its surface.
    """
    world = scene.world_matrices()[part]
    total, along = 0.0, np.zeros(2)
    for p in scene.meshes[scene.nodes[part].mesh or ""].primitives:
        if not len(p.indices):
            continue
        moved = transform_points(world, p.positions).astype(np.float64)
        u, v, stretch = slopes(moved, p.uvs[uv_set].astype(np.float64), p.indices)
        a, b, c = (moved[p.indices[:, k]] for k in range(3))
        weight = np.where(stretch < 1e5, np.linalg.norm(np.cross(b - a, c - a), axis=1), 0.0)
        along += np.array([(u * weight).sum(), (v * weight).sum()])
        total += float(weight.sum())
    along = along / total if total > 0 else np.ones(2)
    return float(along[0]), float(along[1])
