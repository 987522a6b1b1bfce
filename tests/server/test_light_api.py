"""The third stop through the API: what the environment lights, its sun found, taken out as a light, dimmed,
and put back.
"""

from __future__ import annotations

import io
import math
from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image as Pillow

from tests.core.test_surroundings import sky_with_sun
from tests.making import image
from tests.server.making import GLB, ServerTest
from trasloco.scene.images import encode


class Surroundings(ServerTest):
    def test_the_sun_is_taken_out_and_put_back(self) -> None:
        move = self.made(
            {"rich.glb": GLB, "sky.exr": image("sky", sky_with_sun(), "exr").data}, destination="lanterna"
        )
        here = f"/moves/{move}"
        before = self.ask(f"{here}/light")
        environment = before["environment"]
        self.assertFalse(environment["taken"])
        self.assertAlmostEqual(environment["sun"]["height_deg"], 34.4, delta=1.0)
        count = len(before["lights"])
        self.ask(f"{here}/decisions", "POST", [{"target": "environment", "field": "sun_out", "value": True}])
        after = self.ask(f"{here}/light")
        self.assertTrue(after["environment"]["taken"])
        self.assertEqual(len(after["lights"]), count + 1)
        sun = next(
            light
            for light in after["lights"]
            if light["name"] == "Sun" and light["kind"] == "sun" and light["id"].endswith("environment")
        )
        self.assertAlmostEqual(sun["intensity"], environment["sun"]["lux"], delta=0.01 * sun["intensity"])
        self.assertAlmostEqual(
            after["environment"]["ground_lux"] / environment["ground_lux"], 1.0, delta=0.005
        )
        self.assertEqual(
            self.client.get(f"/api{here}/image.png?image={after['environment']['image']}").status_code, 200
        )
        self.ask(f"{here}/decisions", "POST", [{"target": sun["id"], "field": "intensity", "value": 5.0}])
        self.assertEqual(
            next(light for light in self.ask(f"{here}/light")["lights"] if light["id"] == sun["id"])[
                "intensity"
            ],
            5.0,
        )
        for path in ("inventory", "fit"):
            self.ask(f"{here}/{path}")
        self.ask(f"{here}/undo", "POST")
        self.ask(f"{here}/undo", "POST")
        self.assertEqual(self.ask(f"{here}/light")["environment"], environment)

    def test_a_scene_without_an_environment_says_so(self) -> None:
        self.assertIsNone(self.ask(f"/moves/{self.made()}/light")["environment"])


class LitBy(ServerTest):
    def setUp(self) -> None:
        skies = {f"{name}.exr": sky_of(value) for name, value in (("dim", 1.0), ("bright", 2.0))}
        self.here = f"/moves/{self.made({'rich.glb': GLB, **skies}, destination='lanterna')}"

    def light(self) -> Any:
        return self.ask(f"{self.here}/light")

    def test_any_picture_of_the_delivery_and_nothing_but_that(self) -> None:
        told = self.light()
        self.assertEqual(told["lighting"], "received")
        keys = {one["name"]: one["key"] for one in told["lightings"]}
        other = next(name for name in ("dim.exr", "bright.exr") if told["environment"]["name"] != name)
        self.ask(f"{self.here}/light-by", "POST", {"key": keys[other]})
        told = self.light()
        self.assertEqual((told["environment"]["name"], told["lighting"]), (other, keys[other]))
        # An even dome of luminance L lights open ground with pi L.
        wanted = math.pi * {"dim.exr": 1.0, "bright.exr": 2.0}[other]
        self.assertAlmostEqual(told["environment"]["ground_lux"], wanted, delta=0.01 * wanted)
        self.ask(f"{self.here}/undo", "POST")
        self.assertEqual(self.light()["lighting"], "received")
        self.ask(f"{self.here}/light-by", "POST", {"key": "picture:none"}, expect=422)
        wrong = [{"target": "environment", "field": "picture", "value": "image:none"}]
        self.ask(f"{self.here}/decisions", "POST", wrong, expect=422)

    def test_skies_and_rooms_that_ship(self) -> None:
        told = self.light()
        ours = [one for one in told["lightings"] if one["kind"] in ("sky", "room")]
        self.assertEqual(len({one["name"] for one in ours}), len(ours))
        for one in ours:
            with self.subTest(one["name"]):
                self.ask(f"{self.here}/light-by", "POST", {"key": one["key"]})
                now = self.light()
                self.assertEqual(now["lighting"], one["key"])
                self.assertGreater(now["environment"]["subject_lux"] or now["environment"]["ground_lux"], 1.0)
                for path in ("lighting.png", "light.png"):
                    name = "key" if path.startswith("lighting") else "trying"
                    answer = self.client.get(f"/api{self.here}/{path}", {name: one["key"]})
                    self.assertEqual(answer.status_code, 200)
                    with Pillow.open(io.BytesIO(answer.content)) as held:
                        self.assertGreater(np.asarray(held.convert("L")).max(), 40)
        self.ask(f"{self.here}/light-by", "POST", {"key": "sky:High summer noon"})
        sun = next(light for light in self.light()["lights"] if light["name"] == "Daylight sun")
        # At noon of the solstice the sun is 90 - 45.4 + 23.44 degrees high.
        self.assertAlmostEqual(sun["stand"]["height_deg"], 68.04, delta=0.6)

    def test_a_picture_dropped_on_the_surroundings_lights(self) -> None:
        file = SimpleUploadedFile("third.exr", sky_of(3.0))
        self.client.post(f"/api{self.here}/use-file", {"target": "environment", "files": [file]})
        self.assertEqual([(job.state, job.refusal) for job in self.work()], [("done", None)])
        told = self.light()
        self.assertEqual(told["environment"]["name"], "third.exr")
        self.assertAlmostEqual(told["environment"]["ground_lux"], 3 * math.pi, delta=0.1)


def sky_of(value: float) -> bytes:
    """An even sky of a luminance in nit, EXR."""
    return encode(np.full((16, 32, 3), value, np.float32), "exr")


class Afterwards(ServerTest):
    def test_exposure_of_a_cameras_settings(self) -> None:
        here = f"/moves/{self.made()}"
        # EV 0 is f/1 for a second at ISO 100; f/16 for 1/125 s at ISO 100 is EV 15 (ISO 2720); four times the
        # speed is two less.
        for f_stop, shutter, iso, wanted in (
            (1, 1, 100, 0.0),
            (16, 1 / 125, 100, 14.966),
            (16, 1 / 125, 400, 12.966),
        ):
            self.assertAlmostEqual(
                self.ask(f"{here}/exposure?f_stop={f_stop}&shutter_s={shutter}&iso={iso}")["ev100"],
                wanted,
                places=2,
            )
        self.ask(f"{here}/exposure?f_stop=0&shutter_s=1&iso=100", expect=422)

    def test_after_effects_are_told_and_occlusion_is_not_counted_twice(self) -> None:
        here = f"/moves/{self.made(destination='lanterna')}"
        found = self.ask(f"{here}/light")
        self.assertIn("screen-space occlusion", [effect["name"] for effect in found["after_effects"]])
        self.assertEqual(found["occluded_twice"], [])
        self.ask(f"{here}/decisions", "POST", [{"target": "lightmaps", "field": "lightmaps", "value": True}])
        twice = self.ask(f"{here}/light")["occluded_twice"]
        self.assertEqual([one["id"] for one in twice], ["material:m"])
        self.ask(
            f"{here}/decisions", "POST", [{"target": "material:m/occlusion", "field": "input", "value": None}]
        )
        self.assertEqual(self.ask(f"{here}/light")["occluded_twice"], [])

    def test_what_is_simulated_is_judged_and_said(self) -> None:
        here = f"/moves/{self.made(destination='lanterna')}"
        size = {"width": 160, "height": 90, "samples": 8}
        self.ask(f"{here}/jobs", "POST", {"kind": "prove", "settings": size})
        self.work()
        self.ask(
            f"{here}/decisions",
            "POST",
            [{"target": "proof", "field": "effects", "value": ["lens distortion", "glow"]}],
        )
        self.assertEqual(
            [effect["name"] for effect in self.ask(f"{here}/light")["after_effects"] if effect["simulated"]],
            ["glow", "lens distortion"],
        )
        self.ask(f"{here}/jobs", "POST", {"kind": "prove", "settings": size})
        self.work()
        through, plain = self.ask(f"{here}/proofs")["proofs"]
        self.assertEqual(
            (through["figures"]["effects"], plain["figures"]["effects"]), (["glow", "lens distortion"], [])
        )
        self.assertGreater(through["figures"]["mean"], plain["figures"]["mean"])


class Lights(ServerTest):
    def test_lights_are_added_placed_seen_and_undone(self) -> None:
        here = f"/moves/{self.made(destination='lanterna')}"
        before = self.ask(f"{here}/light")
        dark = self.client.get(f"/api{here}/light.png")
        self.assertEqual((dark.status_code, dark["content-type"]), (200, "image/png"))
        self.ask(
            f"{here}/decisions",
            "POST",
            [
                {
                    "target": "light:added 1",
                    "field": "lamp",
                    "value": {
                        "kind": "disc",
                        "name": "Key",
                        "azimuth_deg": 30,
                        "height_deg": 20,
                        "distance_m": 2,
                    },
                }
            ],
        )
        added = self.ask(f"{here}/light")["lights"][-1]
        self.assertEqual((added["name"], added["added"], added["unit"]), ("Key", True, "nit"))
        for key, wanted in (("azimuth_deg", 30), ("height_deg", 20), ("distance_m", 2)):
            self.assertAlmostEqual(added["stand"][key], wanted, places=3)
        self.ask(
            f"{here}/decisions",
            "POST",
            [{"target": "light:added 1", "field": "stand", "value": {"azimuth_deg": -90, "height_deg": 5}}],
        )
        self.assertAlmostEqual(self.ask(f"{here}/light")["lights"][-1]["stand"]["azimuth_deg"], -90, places=3)
        self.assertNotEqual(self.client.get(f"/api{here}/light.png").content, dark.content)
        for path in ("inventory", "fit"):
            self.ask(f"{here}/{path}")
        self.ask(f"{here}/undo", "POST")
        self.ask(f"{here}/undo", "POST")
        self.assertEqual(self.ask(f"{here}/light")["lights"], before["lights"])
        for value in ({"kind": "torch"}, {"kind": "point", "distance_m": -1}, "point"):
            self.ask(
                f"{here}/decisions",
                "POST",
                [{"target": "light:added 1", "field": "lamp", "value": value}],
                expect=422,
            )

    def test_a_backdrop_is_told_and_taken_away(self) -> None:
        here = f"/moves/{self.made({'rich.glb': GLB, 'sky.exr': image('sky', sky_with_sun(), 'exr').data}, destination='taccuino')}"
        self.assertIsNone(self.ask(f"{here}/light")["backdrop"])
        self.ask(
            f"{here}/decisions",
            "POST",
            [{"target": "environment", "field": "backdrop", "value": {"color": [0.1, 0.2, 0.3], "nit": 50}}],
        )
        told = self.ask(f"{here}/light")["backdrop"]
        self.assertEqual((told["color"], told["nit"], told["mark"]), ([0.1, 0.2, 0.3], 50, "lost"))
        picture = self.ask(f"{here}/light")["pictures"][0]
        self.ask(
            f"{here}/decisions",
            "POST",
            [
                {
                    "target": "environment",
                    "field": "backdrop",
                    "value": {"image": picture["id"], "nit": 2, "turn_rad": 1.0},
                }
            ],
        )
        self.assertEqual(self.ask(f"{here}/light")["backdrop"]["image"], picture["id"])
        self.ask(f"{here}/decisions", "POST", [{"target": "environment", "field": "backdrop", "value": None}])
        self.assertIsNone(self.ask(f"{here}/light")["backdrop"])
