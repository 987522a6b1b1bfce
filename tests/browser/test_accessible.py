"""Every view and what opens in it, in day and dim: no violation of WCAG 2.2 A and AA that a machine can find,
and nothing beyond the page at any width that is asked for.
"""

from __future__ import annotations

import re
import tempfile

import numpy as np
from playwright.sync_api import expect

from tests.browser.acts import wagon
from tests.browser.looking import LookingTest
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.images import encode


class Accessible(LookingTest):
    def press(self, name: str | re.Pattern[str], then: str = "") -> None:
        self.page.get_by_role("button", name=name).first.click()
        if then:
            self.look(then)

    def test_every_view_and_what_opens_in_it(self) -> None:
        page = self.page
        self.open("/")
        expect(page.get_by_text("The desk is empty")).to_be_visible()
        self.look("empty desk")
        with tempfile.NamedTemporaryFile(suffix=".glb") as file:
            file.write(write_glb(wagon()))
            file.flush()
            page.get_by_test_id("files").set_input_files([file.name])
            self.look("new move")
            self.drop([file.name], "plain", "lanterna")
        here = page.url.rsplit("/", 1)[0]
        self.look("findings")
        for tab in ("along", "parts", "materials", "images", "lights", "cameras", "files"):
            page.goto(f"{here}/inventory?tab={tab}")
            self.settled()
            self.look(tab)
        page.goto(f"{here}/inventory?tab=parts")
        page.get_by_role("row").filter(has_text="Crate").click()
        self.look("a chosen part")
        self.press("New material", "a new material")
        self.press("History", "history")
        page.goto(f"{here}/fit?material=material:Lacquer")
        expect(page.get_by_role("button", name="Change Base colour")).to_be_visible()
        self.look("fit")
        self.press("Change Base colour", "a crossing")
        self.press(re.compile("^Base colour: #"), "a colour")
        page.keyboard.press("Escape")
        self.press("Add an input", "inputs to add")
        self.press("From the shelf")
        expect(page.get_by_text("Comes with Trasloco")).to_be_visible()
        self.look("the shelf")
        self.press("Put it on parts", "who wears it")
        page.goto(f"{here}/fit?show=model")
        self.settled()
        self.look("an input on the model")
        page.goto(f"{here}/light")
        expect(page.get_by_label("Strength of Spot").first).to_be_visible()
        self.look("light")
        page.goto(f"{here}/proof")
        self.settled()
        self.look("no proof yet")
        page.goto(f"{here}/proof?page=own")
        expect(page.get_by_role("heading", name="No picture of your own yet")).to_be_visible()
        self.look("no picture yet")
        page.get_by_test_id("own-picture").set_input_files(
            [
                {
                    "name": "mine.png",
                    "mimeType": "image/png",
                    "buffer": encode(np.full((90, 160, 3), 128, np.uint8), "png"),
                }
            ]
        )
        expect(page.get_by_role("button", name="Find its camera and hold it")).to_be_visible()
        self.look("a picture that was not held")
        self.press("Press points instead")
        expect(page.locator("canvas")).to_be_visible(timeout=60_000)
        self.look("points of a picture")
        page.goto(f"{here}/proof?page=gauge")
        self.press("Write the boards")
        expect(page.get_by_role("link", name="Save the boards")).to_be_visible(timeout=60_000)
        self.look("a gauge that nothing came back of")
        page.goto(f"{here}/handover")
        self.settled()
        self.look("no handover yet")
        self.press(re.compile("^Deliver"))
        expect(page.get_by_role("button", name="1 · ")).to_be_visible(timeout=120_000)
        self.look("a handover")
        self.open("/sheets/lanterna")
        expect(page.get_by_role("heading", name="Lanterna")).to_be_visible()
        self.look("a sheet")
        self.open("/")
        expect(page.get_by_role("link", name=re.compile("^tmp")).first).to_be_visible()
        self.look("the desk")
        page.get_by_text("What takes room").first.click()
        self.settled()
        self.look("what takes room")
        self.assertGreater(self.looked, 50)
        self.assertEqual(self.found, [])
