"""What lies beside parts that are drawn into one material: looks, causes, samples, lightmaps, fits."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from tests.drawn import (
    LANTERNA,
    PLAIN,
    SHEETS,
    TACCUINO,
    TOGETHER,
    middles,
    moved,
    of_slots,
    read_by_others,
    texels_at,
    to_srgb,
    trunk,
)
from tests.making import material, quad
from trasloco import move
from trasloco.errors import Refused
from trasloco.fit.fitted import Change, fitted_for, value_of
from trasloco.fit.fitted import Fitted as Fit
from trasloco.formats.gltf_write import write_glb
from trasloco.render.picture import Quality, View
from trasloco.results.route import Route
from trasloco.results.samples import sample
from trasloco.results.store import MemoryStore
from trasloco.scene.covering import covered
from trasloco.scene.digest import digest
from trasloco.scene.model import Decision
from trasloco.scene.transforms import looking
from trasloco.sheets.text import changed


class Looks(TestCase):
    def test_it_looks_as_before_and_what_does_not_is_told(self) -> None:
        given = trunk()
        carried = move.carry(given, move.plan(given, PLAIN, TACCUINO), TACCUINO)
        arrival = move.arrive(move.package(carried, TACCUINO), TACCUINO)
        view = View("from above", looking((1.2, 3.0, 2.0), (1.2, 0, 0), (0, 1, 0)), 0.8)
        proof = move.prove(given, arrival, [view], Quality(96, 64, 32))
        self.assertLess(proof.worst.comparison.mean, 1.0)
        causes = move.blame(given, arrival, carried.plan, view, 0.0, Quality(64, 48, 16))
        self.assertEqual({one.suspect.where for one in causes.causes}, {"Trunk"})

    def test_sheets_that_cannot_are_refused(self) -> None:
        for line, value in (("structure.variants", True), ("structure.uv_sets", "none")):
            with self.subTest(line), self.assertRaises(Refused) as caught:
                changed(SHEETS["lanterna"], {**TOGETHER, line: value})
            self.assertEqual(caught.exception.where, line)


class WithLight(TestCase):
    def test_a_lightmap_lies_on_a_second_set_beside_the_new_one(self) -> None:
        given, sheet = trunk(), changed(LANTERNA, {"lightmaps.largest": 32})
        on = (Decision("part:Trunk", "lightmap", True),)
        carried = move.carry(given, move.plan(given, PLAIN, sheet, on), sheet)
        lit = move.lit(carried, move.bake(given, carried, sheet, on))
        arrival = move.arrive(move.package(lit, sheet), sheet)
        self.assertEqual(move.account(given, arrival, lit.plan, sheet, lit.scene).unaccounted, [])
        (part,) = arrival.parts()
        (whole,) = arrival.meshes[part.mesh or ""].primitives
        assert part.lightmap is not None
        self.assertEqual((len(whole.uvs), part.lightmap.uv_set), (2, 1))
        count = covered([whole.uvs[0][whole.indices]], 512)
        self.assertEqual(int(count.max()), 1)


class OnTheSample(TestCase):
    def test_a_material_alone_is_shown_as_it_comes_to_the_destinations_terms(self) -> None:
        """The sample has UVs of its own, on which an image that was drawn for a part means nothing."""
        data = write_glb(trunk())
        route = Route(
            {"trunk.glb": digest(data)}, lambda: {"trunk.glb": data}, PLAIN, TACCUINO, [], MemoryStore()
        )
        for id in route.reference().materials:
            shown = sample(route, id, quick=True)
            self.assertLess(shown.mean, 1.5, id)


class Fitted(TestCase):
    def test_a_fit_that_was_taken_is_drawn(self) -> None:
        """What stands in for what the destination lacks is made before slots are drawn together."""
        lid, band = material("Lid", base_color=(0.5,) * 3, clearcoat=(1.0,)), material("Band")
        slots = [moved(quad(), (0, 0, 0), lid.id), moved(quad(), (1.2, 0, 0), band.id)]
        given = of_slots(slots, (lid, band))
        fit = Fit({"base_color": Change((0.0, 0.0, 0.0), (0.35, 0.125, 0.5))}, ("clearcoat",))
        value = value_of(fit, fitted_for(given, lid, TACCUINO), TACCUINO)
        taken = (Decision(lid.id, "fitted", value),)
        plan = move.plan(given, PLAIN, TACCUINO, taken)
        self.assertIn("fit", [s.kind for c in plan.of(lid.id) for s in c.steps])
        carried = move.carry(given, plan, TACCUINO)
        package = move.package(carried, TACCUINO)
        (data,) = (data for path, data in package.files.items() if path.endswith(".glb"))
        mesh = read_by_others(data)
        got = texels_at(mesh, mesh.visual.material.baseColorTexture, middles(100, 0.0))[:, :3]
        self.assertLess(np.abs(got - to_srgb(np.array([0.35, 0.125, 0.5]))).max(), 1.5 / 255)
        told = move.account(given, move.arrive(package, TACCUINO), carried.plan, TACCUINO)
        self.assertEqual(told.unaccounted, [])
