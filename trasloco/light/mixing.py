"""Light mixed without rendering again: the picture of every lamp alone, and their sum.

Light adds up, so a lamp twice as strong is its layer twice.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from trasloco.progress import Progress, silent
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render
from trasloco.scene.model import Scene

Floats = npt.NDArray[np.float32]
SURROUNDINGS, GLOW, BACKDROP = "environment", "glow", "backdrop"


@dataclass(frozen=True)
class Layers:
    """A view in the light of each lamp alone.

    Attributes:
        names: node of each lamp, or ``environment``, or ``glow`` for everything that glows, or ``backdrop``.
            strengths: intensity or level each was rendered at. radiance: (L, H, W, 3) nit.
    """

    names: tuple[str, ...]
    strengths: tuple[float, ...]
    radiance: Floats


def darkened(scene: Scene) -> Scene:
    """A scene in which nothing shines: no lamp is on, nothing glows, nothing surrounds it."""
    lights = {id: replace(light, enabled=False) for id, light in scene.lights.items()}
    materials = {
        id: replace(one, inputs={name: held for name, held in one.inputs.items() if name != "emission"})
        for id, one in scene.materials.items()
    }
    return replace(scene, lights=lights, materials=materials, environment=None, backdrop=None)


def names_of(picture: Picture) -> tuple[str, ...]:
    """What the layers of a picture that was kept apart are of: nodes, or one of the names above."""
    return tuple(name.removeprefix("area light:") for name in picture.layer_names)


def layers_of(scene: Scene, view: View, quality: Quality, progress: Progress = silent) -> Layers:
    """Render a view once, with the light of every lamp kept apart."""
    picture = render(flatten(scene, "apart"), view, quality, progress)
    odds = picture.samples // 2
    evens = picture.samples - odds
    assert picture.layers is not None
    apart = (picture.layers[0] * evens + picture.layers[1] * odds) / max(picture.samples, 1)
    return Layers(
        names_of(picture),
        tuple(strength_of(scene, name) for name in names_of(picture)),
        np.asarray(apart, np.float32),
    )


def strength_of(scene: Scene, name: str) -> float:
    """What a layer's strength is in a scene: a lamp's intensity, 0 when it is off or gone; the environment's
    level; 1 for what glows.
    """
    if name == SURROUNDINGS:
        return scene.environment.level if scene.environment is not None else 0.0
    if name == GLOW:
        return 1.0
    if name == BACKDROP:
        return scene.backdrop.level if scene.backdrop is not None else 0.0
    node = scene.nodes.get(name)
    light = scene.lights.get(node.light or "") if node is not None else None
    return light.intensity if light is not None and light.enabled else 0.0


def mixed(layers: Layers, strengths: Mapping[str, float]) -> Floats:
    """Radiance (H, W, 3) in nit with each lamp at another strength, in its own unit; those not named stay as
    they were rendered.
    """
    gains = [
        strengths.get(name, base) / base if base > 0 else 0.0
        for name, base in zip(layers.names, layers.strengths, strict=True)
    ]
    return np.asarray(np.tensordot(np.array(gains, np.float32), layers.radiance, axes=1), np.float32)
