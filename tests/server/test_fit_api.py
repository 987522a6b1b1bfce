"""Fit over the API: settings copied, inputs swapped, steps shown, history walked, colours picked, memory
told.
"""

import io
from typing import Any

import numpy as np
from PIL import Image as Pillow

from server.moves.bench import Bench
from server.moves.models import Move
from tests.making import image, material, noise_image, quad, scene
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.model import Input, Texture

SPLIT = np.zeros((32, 32, 3), np.uint8)
SPLIT[:, :16] = (255, 128, 0)
SPLIT[:, 16:] = (10, 20, 200)


class FitApi(ServerTest):
    def setUp(self) -> None:
        painted = material(
            "painted",
            base_color=Input((0.5, 1.0, 1.0), Texture("image:split", "rgb", "srgb")),
            roughness=Input((1.0,), Texture("image:split", "g")),
            metalness=(0.25,),
        )
        bare = material("bare", base_color=(0.1, 0.2, 0.3))
        self.move = self.made(
            {
                "two.glb": write_glb(
                    scene(
                        quad(material="material:painted"),
                        quad(material="material:bare"),
                        materials=(painted, bare),
                        images=(image("split", SPLIT),),
                    )
                )
            }
        )
        self.fit = self.ask(f"/moves/{self.move}/fit")
        self.ids = {m["name"]: m["id"] for m in self.fit["materials"]}

    def inputs(self, name: str) -> dict[str, dict[str, object]]:
        found = next(m for m in self.ask(f"/moves/{self.move}/fit")["materials"] if m["name"] == name)
        return {i["name"]: i for i in found["inputs"]}

    def test_settings_are_copied_to_a_selection_and_undone_at_once(self) -> None:
        self.ask(
            f"/moves/{self.move}/copy-inputs",
            "POST",
            {"source": self.ids["painted"], "targets": [self.ids["bare"]]},
        )
        self.assertEqual(
            self.inputs("bare"), {k: {**v, "origin": "decision"} for k, v in self.inputs("painted").items()}
        )
        self.ask(f"/moves/{self.move}/undo", "POST")
        self.assertEqual(self.inputs("bare")["base_color"]["file"], None)
        self.ask(
            f"/moves/{self.move}/copy-inputs",
            "POST",
            {"source": "material:none", "targets": [self.ids["bare"]]},
            expect=422,
        )

    def test_what_a_material_differs_by_is_put_on_another(self) -> None:
        painted, bare = self.ids["painted"], self.ids["bare"]
        held = self.inputs("painted")["roughness"]["factor"][0]  # type: ignore[index]
        there = self.inputs("bare")["roughness"]["factor"][0]  # type: ignore[index]
        worn = [{"target": f"{painted}/roughness", "field": "factor", "value": [held / 2]}]
        self.ask(f"/moves/{self.move}/decisions", "POST", worn)
        told = self.ask(f"/moves/{self.move}/difference?first={painted}&second={painted}")
        self.assertEqual(told, {"changes": ["Roughness × 0.5"], "left": []})
        wanted = {"first": painted, "second": painted, "targets": [bare], "amount": 0.5}
        made = self.ask(f"/moves/{self.move}/vary", "POST", wanted)
        self.assertEqual(made["left"], [])
        self.assertAlmostEqual(self.inputs("bare")["roughness"]["factor"][0], 0.75 * there, 6)  # type: ignore[index]
        for wrong in ({**wanted, "targets": ["material:none"]}, {**wanted, "amount": 2}):
            self.ask(f"/moves/{self.move}/vary", "POST", wrong, expect=422)
        alike = {"first": bare, "second": bare, "targets": [painted]}
        self.ask(f"/moves/{self.move}/undo", "POST")
        self.ask(f"/moves/{self.move}/vary", "POST", alike, expect=422)

    def test_two_inputs_are_swapped(self) -> None:
        self.ask(
            f"/moves/{self.move}/swap-inputs",
            "POST",
            {"material": self.ids["painted"], "first": "roughness", "second": "metalness"},
        )
        self.assertEqual(
            (self.inputs("painted")["metalness"]["channels"], self.inputs("painted")["roughness"]["factor"]),
            ("g", [0.25]),
        )
        self.ask(
            f"/moves/{self.move}/swap-inputs",
            "POST",
            {"material": self.ids["painted"], "first": "roughness", "second": "base_color"},
            expect=422,
        )

    def test_every_pictured_step_is_shown(self) -> None:
        crossing = next(
            c
            for c in self.fit["crossings"]
            if c["material"] == self.ids["painted"] and c["name"] == "base_color"
        )
        self.assertIn("multiply", [s["kind"] for s in crossing["steps"]])
        shown = []
        for at in range(len(crossing["steps"]) + 1):
            response = self.client.get(
                f"/api/moves/{self.move}/step.png", {"crossing": crossing["id"], "at": at, "side": 32}
            )
            self.assertEqual(response.status_code, 200)
            shown.append(np.asarray(Pillow.open(io.BytesIO(response.content)).convert("RGB"))[16, 4])
        np.testing.assert_array_equal(shown[0], (255, 128, 0))
        np.testing.assert_array_equal(
            shown[-1], (188, 128, 0)
        )  # half the red light is 188 of 255 by IEC 61966-2-1

    def test_one_input_alone_on_both_sides(self) -> None:
        shown = []
        for arrival in (False, True):
            response = self.client.get(
                f"/api/moves/{self.move}/alone.png", {"name": "base_color", "arrival": arrival}
            )
            shown.append(np.asarray(Pillow.open(io.BytesIO(response.content)).convert("RGB")).astype(int))
        self.assertEqual(shown[0].shape, (480, 640, 3))
        self.assertLess(np.abs(shown[0] - shown[1]).max(), 4)
        self.assertGreater(len(np.unique(shown[0].reshape(-1, 3), axis=0)), 2)
        self.ask(f"/moves/{self.move}/alone.png?name=taste", expect=422)

    def test_an_exact_colour_is_picked(self) -> None:
        image_id = self.inputs("painted")["base_color"]["image"]
        found = self.ask(f"/moves/{self.move}/texel?image={image_id}&u=0.25&v=0.5")
        self.assertEqual((found["srgb"], found["x"], found["y"]), ([255, 128, 0], 8, 16))
        self.assertAlmostEqual(found["linear"][1], 0.2158605, places=5)
        self.ask(f"/moves/{self.move}/texel?image=image:none&u=0&v=0", expect=422)

    def test_invented_relief_is_shown_and_undone(self) -> None:
        self.ask(
            f"/moves/{self.move}/decisions",
            "POST",
            [
                {
                    "target": self.ids["painted"],
                    "field": "invent_relief",
                    "value": {"depth": 0.02, "lighten": True},
                }
            ],
        )
        relief = next(c for c in self.ask(f"/moves/{self.move}/fit")["crossings"] if c["name"] == "height")
        self.assertIn("Invented", relief["reason"])
        for path in (
            f"step.png?crossing={relief['id']}&at=1",
            f"crossing.png?crossing={relief['id']}",
            f"input.png?material={self.ids['painted']}&name=height",
        ):
            self.assertEqual(self.client.get(f"/api/moves/{self.move}/{path}").status_code, 200, path)
        self.ask(f"/moves/{self.move}/undo", "POST")
        self.assertNotIn("height", self.inputs("painted"))

    def test_what_vertex_colours_are_and_what_an_image_would_lose(self) -> None:
        told = self.ask(f"/moves/{self.move}/paint?material={self.ids['painted']}")
        self.assertEqual(told["kind"], None)
        self.assertGreater(told["loss_as_colors"], 5)
        self.ask(
            f"/moves/{self.move}/decisions",
            "POST",
            [{"target": self.ids["painted"], "field": "paint", "value": "from image"}],
        )
        told = self.ask(f"/moves/{self.move}/paint?material={self.ids['painted']}")
        self.assertEqual((told["chosen"], told["loss_as_colors"]), ("from image", None))
        self.assertIn(told["kind"], ("paint", "ID", "baked light"))
        self.ask(f"/moves/{self.move}/paint?material=material:none", expect=422)

    def test_history_reads_and_goes_back_and_forth(self) -> None:
        for value in (0.1, 0.2, 0.3):
            self.ask(
                f"/moves/{self.move}/decisions",
                "POST",
                [{"target": f"{self.ids['bare']}/roughness", "field": "factor", "value": [value]}],
            )
        told = self.ask(f"/moves/{self.move}/history")
        self.assertEqual(
            [row["words"] for row in told], [[f"bare, roughness: set to {v}"] for v in (0.1, 0.2, 0.3)]
        )
        self.ask(f"/moves/{self.move}/back-to", "POST", {"batch": told[0]["batch"]})
        self.assertEqual(
            [row["undone"] for row in self.ask(f"/moves/{self.move}/history")], [False, True, True]
        )
        self.assertEqual(self.inputs("bare")["roughness"]["factor"], [0.1])
        self.ask(f"/moves/{self.move}/back-to", "POST", {"batch": told[2]["batch"]})
        self.assertEqual(self.inputs("bare")["roughness"]["factor"], [0.3])
        self.ask(f"/moves/{self.move}/back-to", "POST", {"batch": 0})
        self.assertEqual(self.inputs("bare")["roughness"]["factor"], [1.0])

    def test_memory_and_what_smaller_images_save(self) -> None:
        planned = self.fit["images"][0]
        self.assertEqual(planned["memory"], 4 * sum(4**k for k in range(6)))
        self.assertEqual((planned["smaller_side"], planned["saved"]), (16, 4 * 32 * 32))
        self.ask(
            f"/moves/{self.move}/decisions",
            "POST",
            [{"target": self.ids["painted"], "field": "largest_side", "value": 16}],
        )
        after = self.ask(f"/moves/{self.move}/fit")
        self.assertEqual({i["width"] for i in after["images"]}, {16})
        self.assertEqual(after["sizes"], {self.ids["painted"]: 16})
        self.ask(
            f"/moves/{self.move}/decisions",
            "POST",
            [{"target": self.ids["painted"], "field": "largest_side", "value": 17}],
            expect=422,
        )


class UsedHere(ServerTest):
    def sent(self, move: int, target: str, files: dict[str, bytes], expect: int = 200) -> Any:
        return self.upload(files, expect, f"/moves/{move}/use-file", target=target)

    def test_a_file_is_read_where_it_was_dropped_by_one_call(self) -> None:
        move = self.made(destination="lanterna")
        target = "material:paint/roughness"
        before = self.ask(f"/moves/{move}")["revision"]
        self.sent(move, target, {"scratches.png": noise_image("scratches", 8, 8, 1).data})
        self.assertEqual([job.state for job in self.work()], ["done"])
        self.assertEqual(self.ask(f"/moves/{move}")["revision"], before + 1)
        given = Bench(Move.objects.get(id=move)).reference().materials["material:paint"].inputs["roughness"]
        assert given.texture is not None
        self.assertEqual(
            (given.texture.image.rsplit("/")[-1], given.texture.channels), ("image:scratches.png", "r")
        )
        self.ask(f"/moves/{move}/undo", "POST")
        held = Bench(Move.objects.get(id=move)).reference()
        self.assertTrue(
            "roughness" not in held.materials["material:paint"].inputs
            or held.materials["material:paint"].inputs["roughness"].texture is None
        )

    def test_what_cannot_be_read_is_refused_in_words_and_stays_with_the_delivery(self) -> None:
        move = self.made(destination="lanterna")
        self.sent(move, "material:paint/roughness", {"letter.txt": b"dear all"})
        (job,) = self.work()
        self.assertEqual(job.state, "refused")
        self.assertIn("letter.txt", job.refusal["where"])
        self.assertTrue(self.ask(f"/moves/{move}")["ready"])
        self.sent(move, "material:nobody/roughness", {"a.png": noise_image("a", 8, 8, 1).data})
        self.assertEqual(self.work()[0].refusal["what"], "There is no such input.")
        two = {name: noise_image(name, 8, 8, 1).data for name in ("a.png", "b.png")}
        self.assertIn("Several files", self.sent(move, "material:paint/roughness", two, expect=422)["what"])
