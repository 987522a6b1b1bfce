"""OpenUSD (.usda, .usdc, .usdz) to the neutral scene: composed prims, instances, materials, lights, cameras,
motion and variants.
"""

from __future__ import annotations

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.reading import Notes, Read
from trasloco.formats.usd_scene import UsdReader
from trasloco.formats.usd_stage import opened_stage
from trasloco.formats.usd_variants import scene_with_variants, variants_of


def read_usd(path: str, bundle: Bundle, lumens: bool = False) -> Read:
    """Read the layer or package at ``path`` with all it refers to. With ``lumens`` the number of every lamp but
    suns is its luminous flux, as a program may have it; else where the lamp says so.

    Raises:
        Refused: a layer that cannot be opened, or one made of files outside the delivery.
    """
    notes = Notes(path, bundle, used={path})
    with opened_stage(path, bundle, notes) as (stage, files):
        try:
            scene = UsdReader(stage, path, files, notes, lumens).scene()
            variants = variants_of(stage)
            if variants:
                scene = scene_with_variants(scene, stage, path, files, variants, notes)
        except (ValueError, IndexError, TypeError, AttributeError, RuntimeError) as error:
            raise Refused(
                f"The layer is damaged ({type(error).__name__}: {str(error)[:120]}).",
                path,
                "Export it again.",
            ) from error
    return scene, notes.findings, notes.used
