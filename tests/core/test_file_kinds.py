"""Image files of a kind that is asked for, material by material: written so, read back so, and left where
the destination does not read it.
"""

from __future__ import annotations

import io
import json
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np
from PIL import Image as Pillow

from tests.core.test_budget import SUN, at_most, route
from tests.fits import small_budgets
from tests.making import image, material, quad, scene
from trasloco.fit.way import kinds_to_choose
from trasloco.fit.writing import mean_loss
from trasloco.formats.gltf_write import write_glb
from trasloco.results import budget, budget_shared
from trasloco.results.in_memory import route_of
from trasloco.scene.images import pixels
from trasloco.scene.model import Decision, Input, Scene, Texture
from trasloco.sheets.layouts import fault_of_layout
from trasloco.sheets.library import built_in_sheets, sheet_named
from trasloco.sheets.text import changed

VELVET, VEIL = "material:Velvet", "material:Veil"


def jpeg(loss: float = 0.0) -> dict[str, Any]:
    return {"kind": "jpg", "loss": loss}


def cloths() -> Scene:
    """Two cloths with grain, one of them blended by the alpha of its own image."""
    rng = np.random.default_rng(3)
    coarse = np.kron(rng.uniform(0, 255, (16, 16, 3)), np.ones((8, 8, 1)))
    grain = np.clip(coarse + rng.normal(0, 6, (128, 128, 3)), 0, 255).astype(np.uint8)
    alpha = np.linspace(0, 255, 128).astype(np.uint8)[None, :, None].repeat(128, 0)
    left, right = quad(1.0, VELVET), quad(1.0, VEIL)
    return scene(
        replace(left, positions=left.positions - np.float32((0.6, 0, 0))),
        replace(right, positions=right.positions + np.float32((0.6, 0, 0))),
        names=("Left", "Right"),
        materials=(
            material("Velvet", base_color=Input((1.0,) * 3, Texture("image:Grain", "rgb", "srgb"))),
            replace(
                material(
                    "Veil",
                    base_color=Input((1.0,) * 3, Texture("image:Thin", "rgb", "srgb")),
                    opacity=Input((1.0,), Texture("image:Thin", "a", "linear")),
                ),
                alpha_mode="blend",
            ),
        ),
        images=(image("Grain", grain), image("Thin", np.concatenate([grain, alpha], 2))),
        lights=(SUN,),
    )


class Asked(TestCase):
    def kinds(self, *decisions: Decision, to: str = "lanterna") -> dict[str, set[str]]:
        at = route_of(
            {"given.glb": write_glb(cloths())}, sheet_named("plain"), sheet_named(to), list(decisions)
        )
        found: dict[str, set[str]] = {}
        for planned in at.plan().images:
            found.setdefault(planned.material, set()).add(planned.path.rpartition(".")[2])
        return found

    def test_what_is_asked_is_written_where_it_can_be(self) -> None:
        own = {VELVET: {"png"}, VEIL: {"png"}}
        self.assertEqual(self.kinds(), own)
        one = Decision(VELVET, "file_kind", jpeg())
        self.assertEqual(self.kinds(one), {**own, VELVET: {"jpg"}})
        # JPEG has no see-through channel; block-compressed files have one.
        self.assertEqual(self.kinds(Decision("scene", "file_kind", jpeg())), {**own, VELVET: {"jpg"}})
        every = Decision("scene", "file_kind", {"kind": "ktx2", "loss": 0.0})
        self.assertEqual(self.kinds(every), {VELVET: {"ktx2"}, VEIL: {"ktx2"}})
        self.assertEqual(self.kinds(every, one), {VELVET: {"jpg"}, VEIL: {"ktx2"}})
        # One that does not read it has its own.
        self.assertEqual(self.kinds(every, to="taccuino"), own)

    def test_the_file_is_one_to_another_library_and_is_named_where_it_is_used(self) -> None:
        at = route(cloths(), Decision(VELVET, "file_kind", jpeg(1.0)))
        files = at.package().files
        (path,) = (name for name in files if name.endswith(".jpg"))
        meant = next(pixels(one) for one in at.reference().images.values() if "Grain" in one.id)
        with Pillow.open(io.BytesIO(files[path])) as opened:
            self.assertEqual(opened.format, "JPEG")
            lost = mean_loss(meant, np.asarray(opened.convert("RGB")), srgb=True)
        self.assertTrue(0.3 < lost <= 1.0, lost)
        listed = json.dumps([json.loads(data) for name, data in files.items() if name.endswith(".json")])
        self.assertIn(path.rpartition("/")[2], listed)
        crossing = next(c for c in at.plan().crossings if c.material == VELVET and c.landing.image)
        self.assertEqual(crossing.mark, "close")
        self.assertIn("JPEG", crossing.reason)
        arrived = at.arrival().materials[VELVET].inputs["base_color"].texture
        self.assertIsNotNone(arrived)

    def test_every_layout_that_reads_it_brings_it_home(self) -> None:
        asked = Decision("scene", "file_kind", jpeg(1.0))
        readers = [name for name, sheet in built_in_sheets().items() if "jpg" in kinds_to_choose(sheet)]
        self.assertGreater(len(readers), 4)
        for name in readers:
            with self.subTest(name):
                at = route_of(
                    {"given.glb": write_glb(cloths())}, sheet_named("plain"), sheet_named(name), [asked]
                )
                planned = next(one for one in at.plan().images if one.material == VELVET)
                self.assertEqual(planned.kind, "jpg")
                meant = next(pixels(one) for one in at.reference().images.values() if "Grain" in one.id)
                velvet = next(m for m in at.arrival().materials.values() if m.name.lower() == "velvet")
                texture = velvet.inputs["base_color"].texture
                assert texture is not None
                arrived = at.arrival().images[texture.image]
                self.assertEqual(arrived.kind, "jpg")
                self.assertLessEqual(mean_loss(meant, pixels(arrived)[..., :3], srgb=True), 1.0)

    def test_a_file_of_its_own_holds_it_too(self) -> None:
        """glTF 2.0, 3.8.3: an image within a binary file lies in a view of its buffer and says what it is."""
        asked = Decision(VELVET, "file_kind", jpeg(1.0))
        at = route_of(
            {"given.glb": write_glb(cloths())}, sheet_named("plain"), sheet_named("taccuino"), [asked]
        )
        (data,) = (data for name, data in at.package().files.items() if name.endswith(".glb"))
        length = int.from_bytes(data[12:16], "little")
        document, binary = json.loads(data[20 : 20 + length]), data[28 + length :]
        (held,) = (one for one in document["images"] if one["mimeType"] == "image/jpeg")
        view = document["bufferViews"][held["bufferView"]]
        start = view.get("byteOffset", 0)
        with Pillow.open(io.BytesIO(binary[start : start + view["byteLength"]])) as opened:
            self.assertEqual((opened.format, opened.size), ("JPEG", (128, 128)))

    def test_blocks_need_sides_that_hold_them(self) -> None:
        sheet = changed(sheet_named("lanterna"), {"images.power_of_two": False})
        self.assertEqual(kinds_to_choose(sheet), ("png", "jpg"))
        self.assertEqual(kinds_to_choose(sheet_named("lanterna")), ("png", "jpg", "ktx2"))

    def test_a_kind_asked_of_a_destination_that_has_it_keeps_its_coding(self) -> None:
        own = changed(sheet_named("lanterna"), {"images.kind": "ktx2", "images.basis": "etc1s"}).images
        asked = own.as_files("ktx2", 2.0)
        self.assertEqual((asked.kind, asked.loss, asked.basis), ("ktx2", 2.0, "etc1s"))
        other = own.as_files("png", 2.0)  # which keeps every code, and is coded in one way
        self.assertEqual((other.kind, other.loss, other.basis), ("png", 0.0, "uastc"))

    def test_a_sheet_says_only_what_its_layout_reads(self) -> None:
        def fault(name: str, *also: str, **images: Any) -> str | None:
            sheet = sheet_named(name)
            rules = sheet.images.model_copy(update={"also": also, **images})
            found = fault_of_layout(sheet.model_copy(update={"images": rules}))
            return found[0] if found is not None else None

        self.assertIsNone(fault("lanterna", "jpg", "ktx2"))
        self.assertEqual(fault("tela", "webp"), "images.also")
        self.assertEqual(fault("taccuino", "tif"), "images.also")


class Shared(TestCase):
    def test_a_download_is_kept_small_by_files_that_lose_little(self) -> None:
        self.enterContext(small_budgets())
        at = route(cloths())
        found = budget.measured(at)
        velvet = next(item for item in found.items if item.id == VELVET)
        words = [rung.words for rung in velvet.rungs]
        self.assertIn("128 a side, JPEG, ΔE 0.5 at most", words)
        veil = next(item for item in found.items if item.id == VEIL)
        self.assertFalse([rung.words for rung in veil.rungs if "JPEG" in rung.words])
        # As much as the velvet as JPEG takes: nothing that loses more is chosen.
        picks = [
            words.index("128 a side, JPEG, ΔE 2 at most") if item.id == VELVET else 0 for item in found.items
        ]
        taken, limits = found.taken(picks), at_most(download=found.taken(picks)[1])
        shared = budget_shared.share_out(found, limits, [VEIL])
        self.assertTrue(shared.fits)
        self.assertLessEqual(shared.loss, budget_shared.lost_by(found, picks))
        decided = budget_shared.chosen(found, picks)
        self.assertEqual(decided, [Decision(VELVET, "file_kind", jpeg(2.0))])
        whole = budget_shared.tried(at, decided)
        self.assertAlmostEqual(whole.taken[1], taken[1], delta=0.01 * taken[1])
        after = at.otherwise([*at.decisions, *decided])
        self.assertEqual(budget_shared.standing(after, found), tuple(picks))
