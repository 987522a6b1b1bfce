"""Records and terms of the core that whoever keeps moves has to name, at its door."""

from trasloco.keeping import keeping
from trasloco.scene.findings import Evidence, Finding
from trasloco.scene.model import Blend, Decision

__all__ = ["Blend", "Decision", "Evidence", "Finding", "keeping"]
