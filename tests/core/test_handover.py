"""What is handed over: packing list, report, measure ramp, and the untouched baseline."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_arrival import rich
from tests.core.test_fit import LANTERNA, PICTURES, PLAIN, textured
from tests.making import quad, scene
from trasloco import move
from trasloco.formats.receive import Received
from trasloco.handover.packing_list import human_size, packing_list
from trasloco.handover.report import shown_proof, write_report
from trasloco.proof.picturing import difference_png
from trasloco.proof.proving import under_light_of
from trasloco.render.picture import Quality
from trasloco.scene.images import identify, pixels
from trasloco.scene.measure_ramp import INK, MADDER, PAPER, measure_ramp
from trasloco.scene.model import Scene
from trasloco.sheets.library import built_in_sheets


def handed(given: Scene) -> tuple[str, str]:
    carried = move.carry(given, move.plan(given, PLAIN, LANTERNA), LANTERNA)
    package = move.package(carried, LANTERNA)
    proof = move.prove(given, move.arrive(package, LANTERNA), quality=Quality(32, 18, 2, 1))
    return packing_list(carried, package, LANTERNA), write_report(
        carried,
        package,
        move.survey(Received(given, ()), PLAIN, LANTERNA),
        PLAIN,
        LANTERNA,
        shown_proof(proof),
    )


class Papers(TestCase):
    def test_the_packing_list_names_everything_that_travels(self) -> None:
        text, _ = handed(rich())
        for words in (
            "5 parts",
            "Floor",
            "Roughness → Roughness: R taken out, packed into G → media/m-surface.png G",
            "lost    Sheen",
            "20 cd",
            "media/environment.exr",
            "materials.json",
        ):
            self.assertIn(words, text)

    def test_names_cannot_smuggle_markup_into_the_report(self) -> None:
        given = rich()
        evil = "<script>alert(1)</script>"
        given = replace(
            given,
            name=evil,
            materials={k: replace(m, name=m.name + evil) for k, m in given.materials.items()},
        )
        _, page = handed(given)
        self.assertNotIn("<script>", page)
        self.assertIn("ΔE", page)
        self.assertRegex(page, r"judged at EV -?[0-9.]+")
        self.assertIn("data:image/png;base64,", page)

    def test_sizes_are_told_in_decimal_units(self) -> None:
        self.assertEqual(
            [human_size(n) for n in (0, 999, 1000, 1_250_000)], ["0 B", "999 B", "1.0 kB", "1.2 MB"]
        )


class Ramp(TestCase):
    def test_it_runs_from_paper_to_ink_and_only_darkens(self) -> None:
        ramp = measure_ramp(np.linspace(0, 12, 50, dtype=np.float32)[None])[0].astype(int)
        self.assertEqual((tuple(ramp[0]), tuple(ramp[-1])), (PAPER, INK))
        self.assertTrue((np.diff(ramp.sum(axis=1)) <= 0).all())

    def test_the_limit_of_what_is_seen_is_drawn_in_madder(self) -> None:
        field = np.zeros((40, 40), np.float32)
        field[10:30, 10:30] = 9
        drawn = pixels(identify("d", "d.png", "d.png", difference_png(field)))
        lines = (drawn == MADDER).all(axis=-1)
        self.assertTrue(lines[8:13, 20].any() and not lines[20, 20] and not lines[2, 2])


class Untouched(TestCase):
    def test_images_go_as_they_are_and_nothing_is_said(self) -> None:
        given = scene(
            quad(), materials=(replace(textured(), alpha_mode="mask", double_sided=True),), images=PICTURES
        )
        carried = move.carry(given, move.pass_on_untouched(given, LANTERNA), LANTERNA)
        self.assertEqual({i.data for i in carried.images.values()} - {i.data for i in PICTURES}, set())
        arrived = next(iter(move.arrive(move.package(carried, LANTERNA), LANTERNA).materials.values()))
        self.assertEqual((arrived.alpha_mode, arrived.double_sided), ("opaque", False))
        # One image fell into the packed slot: Lanterna reads occlusion, roughness and metalness from its
        # channels.
        self.assertEqual(
            {arrived.inputs[n].texture.channels for n in ("occlusion", "roughness", "metalness")},
            {"r", "g", "b"},
        )
        self.assertEqual(
            len({arrived.inputs[n].texture.image for n in ("occlusion", "roughness", "metalness")}), 1
        )

    def test_borrowed_light_keeps_the_arrivals_surfaces(self) -> None:
        given = rich()
        dark = replace(
            given,
            lights={},
            nodes={k: replace(n, light=None) for k, n in given.nodes.items()},
            environment=None,
        )
        lit = under_light_of(given, dark)
        self.assertEqual(
            (set(lit.lights), lit.environment, lit.materials),
            (set(given.lights), given.environment, dark.materials),
        )


class BuiltInSheets(TestCase):
    def test_each_explains_itself(self) -> None:
        for sheet in built_in_sheets().values():
            self.assertTrue(sheet.summary and sheet.notes, sheet.name)
            for field in sheet.notes:
                part = sheet
                for step in field.split("."):
                    self.assertTrue(hasattr(part, step), f"{sheet.name}: {field}")
                    part = getattr(part, step)
            if sheet.role == "destination":
                self.assertTrue(sheet.layout and sheet.habits, sheet.name)
                for one in sheet.materials.sets:
                    self.assertEqual(
                        len("".join(one.channels)),
                        len(set("".join(one.channels))),
                        f"{sheet.name}: {one.name}",
                    )
