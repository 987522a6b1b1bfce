"""What every reader gives back, and what readers of loose formats share."""

from __future__ import annotations

import math
import posixpath
from collections.abc import Iterable
from dataclasses import dataclass, field

from trasloco.formats.bundle import Bundle
from trasloco.scene.findings import Finding
from trasloco.scene.ids import IdMaker
from trasloco.scene.images import Image, identify, missing_image
from trasloco.scene.model import Scene

Read = tuple[Scene, list[Finding], set[str]]
"""The scene in the file's own unit and axis, findings about what could not be read, and the bundle paths that
were used.
"""


CLOUDS_TRAVEL = "They travel as what they are where the destination knows such things. They are not drawn here, and no proof shows them."


@dataclass
class Notes:
    """Findings, ids, images and used paths while one file at ``where`` is read."""

    where: str
    bundle: Bundle
    ids: IdMaker = field(default_factory=IdMaker)
    findings: list[Finding] = field(default_factory=list)
    used: set[str] = field(default_factory=set)
    images: dict[str, Image] = field(default_factory=dict)
    _image_at: dict[str, str] = field(default_factory=dict)

    def note(
        self,
        kind: str,
        title: str,
        where: str,
        consequence: str,
        targets: tuple[str, ...] = (),
        weight: float = 20.0,
    ) -> None:
        """A finding, told once a place."""
        id = f"{kind}:{self.where}:{where}"
        if all(finding.id != id for finding in self.findings):
            self.findings.append(
                Finding(
                    id,
                    kind,
                    title,
                    where if where.startswith(self.where) else f"{self.where} · {where}",
                    consequence,
                    targets,
                    weight,
                )
            )

    def image_of(self, reference: str, beside: str = "") -> str:
        """Id of the image a reference means: found in the bundle, or kept as missing."""
        found = self.bundle.find(reference, beside or self.where)
        key = found or reference
        if key not in self._image_at:
            id = self.ids.make("image", reference.replace("\\", "/"))
            name = posixpath.basename(key.replace("\\", "/"))
            self._image_at[key] = id
            if found is None:
                self.images[id] = missing_image(id, name, reference)
            else:
                self.used.add(found)
                self.images[id] = identify(id, name, found, self.bundle.files[found])
        return self._image_at[key]

    @property
    def stem(self) -> str:
        """The file's name without folder and extension."""
        return posixpath.splitext(posixpath.basename(self.where))[0]


def weights_on(told: Iterable[float]) -> tuple[float, ...]:
    """Weights of shapes at rest; none where all are off, or one is no number."""
    weights = tuple(float(weight) for weight in told)
    return weights if any(weights) and all(map(math.isfinite, weights)) else ()
