"""The second stop and the sheets in a real browser: steps changed in place, several materials at once, a
history walked, a sheet of one's own that the plan follows.
"""

import io
import tempfile
from collections.abc import Callable

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import expect

from server.moves.bench import Bench
from server.moves.models import Move
from tests.browser.making import BrowserTest
from tests.making import image, material, noise_image, quad, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.model import Input, Texture


def delivery() -> bytes:
    walls = material(
        "Wall",
        base_color=Input((1.0, 1.0, 1.0), Texture("image:wall", "rgb", "srgb")),
        roughness=Input((1.0,), Texture("image:rough", "g")),
        normal=Texture("image:dents"),
    )
    leaf = material(
        "Leaf",
        alpha_mode="mask",
        base_color=Input((1.0, 1.0, 1.0), Texture("image:leaf", "rgb", "srgb")),
        opacity=Input((1.0,), Texture("image:leaf", "a")),
    )
    rod = material("Footlight brass", base_color=(0.4, 0.3, 0.1), metalness=(1.0,), roughness=(0.4,))
    holes = np.full((128, 128, 4), (40, 140, 60, 255), np.uint8)
    holes[:, :64, 3] = 0
    images = (
        noise_image("wall", 512, 512, 3),
        noise_image("rough", 128, 128, 3),
        image("dents", np.full((128, 128, 3), (128, 140, 250), np.uint8)),
        image("leaf", holes),
    )
    return write_glb(
        scene(
            quad(material="material:Wall"),
            quad(material="material:Leaf"),
            quad(material="material:Footlight brass"),
            materials=(walls, leaf, rod),
            images=images,
        )
    )


class Fit(BrowserTest):
    def bench(self) -> Bench:
        return Bench(Move.objects.latest("id"))

    def opened(self) -> None:
        with tempfile.NamedTemporaryFile(suffix=".glb") as file:
            file.write(delivery())
            file.flush()
            self.drop([file.name], "plain", "lanterna")
        self.stop("Fit").click()
        expect(self.page.get_by_role("heading", name="Wall", exact=True)).to_be_visible(timeout=60_000)

    def wait(self, holds: Callable[[], bool]) -> None:
        """Until what the server holds is so."""
        for _ in range(150):
            if holds():
                return
            self.page.wait_for_timeout(100)
        self.assertTrue(holds())

    def test_steps_selection_shelf_and_history(self) -> None:
        self.opened()
        page = self.page
        materials = page.get_by_role("listbox", name="materials").get_by_role("option")
        page.get_by_role("button", name="Change Normal").click()
        steps = page.get_by_role("list", name="Steps of Normal").get_by_role("listitem")
        expect(steps).to_have_count(2)
        page.get_by_role("button", name="It was down already").click()
        expect(steps).to_have_count(1)

        page.get_by_role("button", name="At most 256 a side").click()
        expect(page.get_by_role("list", name="Delivered images")).to_contain_text("256²")
        materials.filter(has_text="Leaf").click()
        page.get_by_label("See-through").select_option("blend")
        expect(page.get_by_role("list", name="Delivered images")).to_be_visible()
        self.wait(lambda: self.bench().reference().materials[self.id("Leaf")].alpha_mode == "blend")

        materials.filter(has_text="brass").click()
        page.get_by_role("button", name="From the shelf").click()
        page.get_by_role("region", name="Shelf").get_by_role(
            "button", name="Footlight brass, tarnished"
        ).click()
        self.wait(
            lambda: (
                abs(
                    self.bench()
                    .reference()
                    .materials[self.id("Footlight brass")]
                    .inputs["roughness"]
                    .factor[0]
                    - 0.48
                )
                < 1e-4
            )
        )
        materials.filter(has_text="Wall").click()
        materials.filter(has_text="brass").click(modifiers=["Control"])
        expect(page.get_by_role("heading", name="2 materials")).to_be_visible()
        page.get_by_label("Input").first.select_option(label="Roughness")
        page.get_by_label("One number").fill("0.25")
        page.get_by_role("button", name="Set for all").click()
        self.wait(
            lambda: (
                {
                    self.bench().reference().materials[self.id(n)].inputs["roughness"].factor
                    for n in ("Wall", "Footlight brass")
                }
                == {(0.25,)}
            )
        )

        page.get_by_role("button", name="History").click()
        history = page.get_by_role("complementary", name="History")
        expect(history).to_contain_text("Wall, normal: green points down")
        history.get_by_role("button", name="Wall, normal: green points down").click()
        self.wait(lambda: len(self.bench().decisions) == 1)
        history.get_by_role("button", name="As it was received").click()
        self.wait(lambda: len(self.bench().decisions) == 0)
        page.keyboard.press("Escape")
        expect(history).to_have_count(0)

    def test_an_image_file_dropped_on_an_input(self) -> None:
        self.opened()
        page = self.page
        page.get_by_role("listbox", name="materials").get_by_role("option").filter(has_text="brass").click()
        out = io.BytesIO()
        Pillow.fromarray(np.full((32, 32, 3), 77, np.uint8)).save(out, "PNG")
        transfer = page.evaluate_handle(
            "bytes => { const data = new DataTransfer(); data.items.add(new File([new Uint8Array(bytes)], 'scratches.png', {type: 'image/png'})); return data }",
            list(out.getvalue()),
        )
        row = page.get_by_role("row").filter(has_text="Roughness")
        row.dispatch_event("dragover", {"dataTransfer": transfer})
        row.dispatch_event("drop", {"dataTransfer": transfer})
        expect(page.get_by_role("row").filter(has_text="scratches.png").first).to_be_visible(timeout=60_000)
        given = self.bench().reference().materials[self.id("Footlight brass")].inputs["roughness"]
        self.assertIsNotNone(given.texture)

    def test_a_sheet_of_ones_own_is_followed_by_the_plan(self) -> None:
        self.opened()
        page, move = self.page, Move.objects.latest("id")
        self.open("/sheets/lanterna")
        page.get_by_role("button", name="Copy").click()
        page.get_by_label("Name of the copy").fill("Small lantern")
        page.get_by_role("button", name="Make the copy").click()
        expect(page.get_by_role("heading", name="Small lantern", level=1)).to_be_visible()
        page.get_by_label("Names").fill("{material}")
        page.get_by_label("Names").press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("{material} and {set}")
        page.get_by_label("Longest side").fill("64")
        page.get_by_label("Longest side").press("Enter")
        expect(page.get_by_text("At most 64 texels a side")).to_be_visible()
        page.get_by_label("against").select_option("Lanterna")
        expect(page.get_by_role("table")).to_contain_text("At most 2048 texels a side")
        expect(page.get_by_text("1 line differs")).to_be_visible()
        self.open(f"/moves/{move.id}/fit")
        page.get_by_label("Destination sheet").select_option(label="Small lantern")
        expect(page.get_by_role("list", name="Delivered images")).to_contain_text("64²", timeout=60_000)

    def id(self, name: str) -> str:
        return next(m.id for m in self.bench().settled().materials.values() if m.name == name)
