"""One's own picture given, its camera found by points, held against both sides, read by the pixel and
kept.
"""

from __future__ import annotations

import io
import math
from typing import Any
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image as Pillow

from server.moves.bench import Bench
from server.moves.models import Move
from tests.core.test_new_lamps import few_tries
from tests.outside import VIEW, counter
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb
from trasloco.inventory.world import world_triangles
from trasloco.outside.camera import FoundCamera, projected
from trasloco.outside.showing import Shown, displayed_by
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.results.own_pictures import through
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.images import encode, pixels
from trasloco.scene.model import Decision, Scene

WIDE, HIGH = 320, 180
SMALL = Quality(160, 90, 6, 2)


class OwnPictures(ServerTest):
    def setUp(self) -> None:
        made = counter(2)
        assert made.environment is not None
        sky = encode(np.ascontiguousarray(pixels(made.images[made.environment.image])[..., :3]), "exr")
        self.move = self.made({"counter.glb": write_glb(made), "sky.exr": sky}, destination="lanterna")
        self.here = f"/moves/{self.move}/own-pictures"
        self.scene = Bench(Move.objects.get(id=self.move)).reference()
        self.png = self.picture_of(self.scene, 12)

    def picture_of(self, scene: Scene, samples: int) -> bytes:
        light = render(flatten(scene), VIEW, Quality(WIDE, HIGH, samples, 2, seed=3)).radiance
        self.stops = -float(np.log2(4 * light.mean()))
        shown = displayed_by(light, Shown("filmic", self.stops))
        codes = np.round(linear_to_srgb(shown) * 255).astype(np.uint8)
        out = io.BytesIO()
        Pillow.fromarray(codes).save(out, "PNG")
        return out.getvalue()

    def give(self, data: bytes, name: str = "mine.png", expect: int = 200) -> Any:
        files = {"files": SimpleUploadedFile(name, data), "view": "Overview"}
        answer = self.client.post(f"/api{self.here}", files)
        self.assertEqual(answer.status_code, expect, answer.content[:300])
        return answer.json()

    def picture(self, blob: str) -> Any:
        data = b"".join(self.client.get(f"/api/blobs/{blob}.png"))  # type: ignore[arg-type]
        with Pillow.open(io.BytesIO(data)) as held:
            return np.array(held)

    def pairs(self, count: int = 9) -> list[dict[str, list[float]]]:
        places = world_triangles(self.scene).positions.astype(np.float64)
        pixels = projected(FoundCamera(VIEW.matrix, VIEW.yfov_rad), places, WIDE, HIGH)
        inside = np.flatnonzero(((pixels > 0) & (pixels < [WIDE, HIGH])).all(axis=1))
        chosen = np.random.default_rng(4).choice(inside, count, replace=False)
        return [{"place": places[k].tolist(), "pixel": pixels[k].tolist()} for k in chosen]

    def test_a_picture_is_held_by_its_points_and_read(self) -> None:
        row = self.give(self.png)
        one = f"{self.here}/{row['id']}"
        self.assertEqual(
            (row["width"], row["height"], row["of"], row["held"]), (WIDE, HIGH, "reference", None)
        )
        self.ask(f"{one}/pixel?x=1&y=1", expect=422)
        said = self.ask(one, "PATCH", {"pairs": self.pairs()})
        np.testing.assert_allclose(said["camera"]["matrix"], VIEW.matrix.ravel(), atol=2e-3)
        self.ask(f"{one}/hold", "POST")
        with mock.patch("trasloco.results.own_pictures.QUALITY", SMALL):
            self.assertEqual([(job.state, job.refusal) for job in self.work()], [("done", None)])
        told = self.ask(self.here)["pictures"][0]
        held = told["held"]
        self.assertEqual(
            (held["how"], held["curve"], held["lies"], told["current"]), ("points", "filmic", True, True)
        )
        self.assertAlmostEqual(held["stops"], self.stops, delta=0.1)
        self.assertLess(held["reference"]["value"], 4)
        self.assertTrue(held["materials"] and told["over_time"])
        for side in ("reference", "arrival", "to_reference", "to_arrival"):
            self.assertEqual(self.picture(told["pictures"][side]).shape, (90, 160, 3))
        pixel = self.ask(f"{one}/pixel?x=80&y=60")
        self.assertEqual(pixel["mine"], self.picture(told["pictures"]["mine"])[60, 80, :3].tolist())
        self.assertEqual((len(pixel["srgb"]), len(pixel["linear"]), len(pixel["delta_e"])), (2, 2, 2))
        self.ask(f"{one}/pixel?x=999&y=0", expect=422)

    def test_light_is_matched_and_taken_over_in_one_press(self) -> None:
        """The picture has its lamp forty times as bright and its surroundings turned by 50 degrees."""
        lamp = next(iter(self.scene.lights))
        sky = self.scene.environment
        assert sky is not None
        turned = sky.turn_rad + math.radians(50)
        meant = [
            {"target": lamp, "field": "intensity", "value": 40 * self.scene.lights[lamp].intensity},
            {"target": "environment", "field": "turn_rad", "value": turned},
        ]
        bench = Bench(Move.objects.get(id=self.move))
        truth = bench.mended_with([Decision(one["target"], one["field"], one["value"]) for one in meant])
        self.png = self.picture_of(truth, 64)
        row = self.give(self.png)
        one = f"{self.here}/{row['id']}"
        self.ask(f"{one}/light", "POST", {"turn": True})
        self.assertEqual(self.work()[0].state, "refused")
        self.ask(one, "PATCH", {"pairs": self.pairs()})
        self.ask(f"{one}/hold", "POST")
        self.ask(f"{one}/light", "POST", {"turn": True, "anchor": "environment"})
        with (
            mock.patch("trasloco.results.own_pictures.QUALITY", SMALL),
            mock.patch("trasloco.results.light_matching.QUALITY", Quality(240, 135, 48, 2)),
        ):
            self.assertEqual([(job.state, job.refusal) for job in self.work()], [("done", None)] * 2)
        told = self.ask(self.here)["pictures"][0]["matched"]
        self.assertTrue(told["current"])
        self.assertAlmostEqual(told["turned_deg"], 50, delta=2.5)
        found = {lamp["label"]: lamp for lamp in told["lamps"]}
        ours = next(row for row in told["lamps"] if row["target"] == lamp)
        self.assertAlmostEqual(ours["gain"] / 40, 1, delta=0.04)
        self.assertTrue(ours["sure"])
        self.assertAlmostEqual(found["Environment"]["gain"], 1, places=6)
        self.assertLess(told["after"], told["before"] / 2)
        self.ask(f"{one}/light", "POST", {"new_lamps": True, "anchor": "environment"})
        with (
            mock.patch("trasloco.results.light_matching.QUALITY", Quality(160, 90, 16, 2)),
            few_tries(1),
        ):
            self.assertEqual([(job.state, job.refusal) for job in self.work()], [("done", None)])
        also = self.ask(self.here)["pictures"][0]["matched"]
        self.assertTrue(also["looked_for_new"])
        for row in (row for row in also["lamps"] if row["new"]):
            self.assertEqual(row["decisions"][0]["field"], "lamp")
            self.assertGreater(row["takes_away"], 0)
        self.ask(f"/moves/{self.move}/decisions", "POST", [*told["decisions"], told["exposure"]])
        taken = Bench(Move.objects.get(id=self.move)).reference()
        self.assertAlmostEqual(taken.lights[lamp].intensity, ours["becomes"], places=3)
        self.assertFalse(self.ask(self.here)["pictures"][0]["matched"]["current"])

    def test_numbers_of_a_material_are_found_and_taken_over(self) -> None:
        """The picture has the largest material in half its colour."""
        bench = Bench(Move.objects.get(id=self.move))
        row = self.give(self.png)
        one = f"{self.here}/{row['id']}"
        self.ask(one, "PATCH", {"pairs": self.pairs()})
        self.ask(f"{one}/hold", "POST")
        with mock.patch("trasloco.results.own_pictures.QUALITY", SMALL):
            self.work()
        held = self.ask(self.here)["pictures"][0]["held"]["materials"]
        material = held[0]["id"]
        before = bench.reference().materials[material].inputs["base_color"].factor
        wanted = {"material": material, "names": ["base_color"]}
        self.ask(f"{one}/material", "POST", {"material": material, "names": []}, expect=422)
        self.ask(f"{one}/material", "POST", {"material": "material:none", "names": ["roughness"]})
        self.assertEqual(self.work()[0].state, "refused")
        half = [v / 2 for v in before]
        self.ask(
            f"/moves/{self.move}/decisions",
            "POST",
            [{"target": f"{material}/base_color", "field": "factor", "value": half}],
        )
        self.ask(f"{one}/material", "POST", wanted)
        with mock.patch("trasloco.outside.material_match.QUALITY", Quality(160, 90, 12, 2)):
            (job,) = self.work()
        self.assertEqual(job.state, "done", job.refusal)
        (found,) = self.ask(self.here)["pictures"][0]["numbers"]
        self.assertTrue(found["current"])
        (number,) = found["numbers"]
        np.testing.assert_allclose(number["before"], half, atol=1e-6)
        np.testing.assert_allclose(number["after"], before, atol=0.12)
        self.assertLess(found["after"], found["before"])
        self.ask(f"/moves/{self.move}/decisions", "POST", found["decisions"])
        self.assertFalse(self.ask(self.here)["pictures"][0]["numbers"][0]["current"])

    def test_what_is_wrong_is_refused_and_changes_nothing(self) -> None:
        self.give(b"no picture", "notes.txt", expect=422)
        row = self.give(self.png)
        one = f"{self.here}/{row['id']}"
        pairs = self.pairs()
        self.ask(one, "PATCH", {"pairs": pairs})
        told = self.ask(one, "PATCH", {"pairs": pairs[:5]}, expect=422)
        self.assertIn("more points", told["what"])
        self.ask(one, "PATCH", {"of": "sideways"}, expect=422)
        self.assertEqual(self.ask(self.here)["pictures"][0]["pairs"], pairs)
        self.ask(one, "PATCH", {"pairs": [], "view": "nowhere"})
        self.ask(f"{one}/hold", "POST")
        (job,) = self.work()
        self.assertEqual(job.state, "refused")
        self.assertIn("no such view", str(job.refusal))
        self.client.delete(f"/api{one}")
        self.assertEqual(self.ask(self.here)["pictures"], [])

    def test_its_camera_is_a_view_that_proofs_are_made_from(self) -> None:
        """A frame cut off the middle looks as the middle of a wider one does."""
        place = {"name": "Cut", "matrix": VIEW.matrix.ravel().tolist(), "yfov_rad": VIEW.yfov_rad}
        kept = [{**place, "shift": [0.25, 0], "aspect": 1.0}, {**place, "name": "Wide", "aspect": 2.0}]
        self.ask(
            f"/moves/{self.move}/decisions", "POST", [{"target": "proof", "field": "views", "value": kept}]
        )
        from trasloco.proof.staging import views_for
        from trasloco.render.picture import frame_of

        bench = Bench(Move.objects.get(id=self.move))
        views = {view.name: view for view in views_for(bench.reference(), bench.decisions)}
        cut, wide = frame_of(views["Cut"], 100, 100)[1], frame_of(views["Wide"], 200, 100)[1]
        np.testing.assert_allclose(cut, wide[:, 75:175], atol=1e-12)
        # A picture of another shape holds the same frame whole, with more of the same plane beside it.
        np.testing.assert_allclose(frame_of(views["Cut"], 200, 100)[1][:, 50:150], cut, atol=1e-12)
        through_it = through(views["Cut"], 2.0).view("wider", 2.0)
        np.testing.assert_allclose(
            frame_of(through_it, 200, 100)[1], frame_of(views["Cut"], 200, 100)[1], atol=1e-12
        )
