"""What the parts of the glTF reader share while one document is read."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.gltf_accessors import Accessors
from trasloco.scene.findings import Finding
from trasloco.scene.ids import IdMaker


@dataclass
class Reading:
    """Everything the parts of the reader share while one document is read."""

    document: dict[str, Any]
    access: Accessors
    where: str
    bundle: Bundle
    ids: IdMaker = field(default_factory=IdMaker)
    findings: list[Finding] = field(default_factory=list)
    used: set[str] = field(default_factory=set)

    def items(self, group: str) -> list[dict[str, Any]]:
        found = self.document.get(group, [])
        if not isinstance(found, list) or not all(isinstance(item, dict) for item in found):
            raise Refused(f"The list of {group} is damaged.", self.where, "Export the file again.")
        return found

    def note(
        self,
        kind: str,
        title: str,
        where: str,
        consequence: str,
        targets: tuple[str, ...] = (),
        weight: float = 20.0,
    ) -> None:
        self.findings.append(Finding(f"{kind}:{where}", kind, title, where, consequence, targets, weight))
