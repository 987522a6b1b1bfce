"""How image files are compressed whose kind leaves a choice."""

from __future__ import annotations

from dataclasses import dataclass

from trasloco.scene.dds import Blocks
from trasloco.scene.ktx2 import Basis


@dataclass(frozen=True)
class Coding:
    """How image files are compressed that leave a choice: KTX2 by ``basis``, DDS in ``blocks``, both with or
    without all smaller ``levels``.
    """

    basis: Basis = "uastc"
    blocks: Blocks = "finest"
    levels: bool = True
