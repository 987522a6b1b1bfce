"""Acts of the work and how many presses each takes from its stop: at most four. The list in ``docs/acts.md``
is what was counted here.
"""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import expect

from tests.browser.acts import ActsTest


class Acts(ActsTest):
    def test_acts_and_their_presses(self) -> None:
        self.opened()
        self.parts_and_groups()
        self.materials()
        self.shelf()
        self.light()
        self.looking()
        self.sides()
        self.compared()

    def parts_and_groups(self) -> None:
        page = self.page
        tree = page.get_by_role("treegrid", name="parts")
        rows = tree.get_by_role("row")

        with self.act("Leave a whole group out", "inventory?tab=parts") as press:
            press(rows.filter(has_text="Wagon"))
            press(page.get_by_role("button", name="Leave out"))
            expect(rows.filter(has_text="left out")).to_have_count(3)
        with self.act("Take a whole group along again", "inventory?tab=parts") as press:
            press(rows.filter(has_text="Wagon"))
            press(page.get_by_role("button", name="Take along"))
            expect(rows.filter(has_text="left out")).to_have_count(0)
        with self.act("Choose parts of one material", "inventory?tab=parts") as press:
            press(page.get_by_label("Choose parts by"), "Lacquer")
            expect(tree.get_by_role("row", selected=True)).to_have_count(2)
        with self.act("Choose all others", "inventory?tab=parts") as press:
            press(rows.filter(has_text="Trunk"))
            press(page.get_by_label("Choose parts by"), "all others")
            expect(tree.get_by_role("row", selected=True)).to_have_count(2)
        with self.act("Put chosen parts into a new group", "inventory?tab=parts") as press:
            press(page.get_by_label("Choose parts by"), "Lacquer")
            press(page.get_by_role("button", name="More tools"))
            press(page.get_by_label("Name of the new group"), "Luggage")
            expect(rows.filter(has_text="Luggage")).to_contain_text("2 parts")
        with self.act("Take a group apart", "inventory?tab=parts") as press:
            press(rows.filter(has_text="Luggage"))
            press(page.get_by_role("button", name="More tools"))
            press(page.get_by_role("button", name="Ungroup"))
            expect(rows.filter(has_text="Luggage")).to_have_count(0)
        self.assertEqual(
            {
                n.name: self.bench().reference().nodes[n.parent or ""].name
                for n in self.bench().reference().parts()
            },
            {"Trunk": "Wagon", "Crate": "Wagon", "Flat": "Wagon"},
        )
        with self.act("Put another material on chosen parts", "inventory?tab=parts") as press:
            press(rows.filter(has_text="Trunk"))
            press(page.get_by_label("Wear", exact=True), "Leaf")
            expect(page.get_by_text("wear Leaf")).to_be_visible()
        self.assertEqual((self.worn()["Trunk"], self.worn()["Crate"]), ({"Leaf"}, {"Lacquer"}))
        self.undo()
        with self.act(
            "Make a material of the shelf and put it on chosen parts", "inventory?tab=parts"
        ) as press:
            press(rows.filter(has_text="Crate"))
            press(page.get_by_role("button", name="New material"))
            press(page.get_by_label("Starts as"), "Footlight brass")
            press(page.get_by_role("button", name="Make it on 1 part"))
            expect(page.get_by_text("wear Footlight brass")).to_be_visible()
        self.assertEqual(self.worn()["Crate"], {"Footlight brass"})

    def materials(self) -> None:
        page = self.page
        with self.act(
            "Set an input that the material does not say", "fit?material=material:Lacquer"
        ) as press:
            press(page.get_by_role("button", name="Add an input"))
            press(page.get_by_label("Clear coat, not said yet"), "0.8")
            expect(page.get_by_role("button", name=re.compile("^Change Clear coat:"))).to_be_visible()
        self.assertEqual(
            self.bench().reference().materials["material:Lacquer"].inputs["clearcoat"].factor, (0.8,)
        )
        with self.act("Set a colour by its hex code", "fit?material=material:Lacquer") as press:
            press(page.get_by_role("button", name="Change Base colour"))
            press(page.get_by_role("button", name=re.compile("^Base colour: #")))
            press(page.get_by_label("Base colour, hex"), "#336699")
            expect(page.get_by_role("button", name="Base colour: #336699")).to_be_visible()
        color = self.bench().reference().materials["material:Lacquer"].inputs["base_color"].factor
        # IEC 61966-2-1: 0x33, 0x66 and 0x99 of 255.
        np.testing.assert_allclose(color, (0.033105, 0.132868, 0.318547), atol=1e-5)
        with self.act("Take a colour off a picture on the page", "fit?material=material:Lacquer") as press:
            press(page.get_by_role("button", name="Change Base colour"))
            press(page.get_by_role("button", name="Base colour: #336699"))
            press(page.get_by_role("button", name="Take it from a picture"))
            swatch = page.get_by_role("listbox", name="materials").get_by_role("option", name="Leaf")
            expect(swatch.locator("img")).not_to_have_js_property("naturalWidth", 0)
            press(swatch.locator("img"))
            expect(page.get_by_role("button", name="Base colour: #336699")).to_have_count(0)
        with self.act("Drag a number", "fit?material=material:Lacquer") as press:
            press(page.get_by_role("button", name="Change Roughness"))
            field = page.get_by_label("Roughness", exact=True)
            box = field.bounding_box()
            assert box is not None
            self.draw((box["x"] + 20, box["y"] + 10), (box["x"] + 60, box["y"] + 10))
            # A two-hundredth of its range for each pixel: 0.4 + 40 / 200.
            expect(field).to_have_value("0.6")
        with self.act("Cut a material out by its image's own alpha", "fit?material=material:Leaf") as press:
            press(page.get_by_label("See-through"), "cut out")
            press(page.get_by_role("button", name="The image’s own alpha"))
            expect(page.get_by_text("leaf.png, its alpha")).to_be_visible()
        leaf = self.bench().reference().materials["material:Leaf"]
        texture = leaf.inputs["opacity"].texture
        assert texture is not None
        self.assertEqual((leaf.alpha_mode, texture.channels), ("mask", "a"))

    def shelf(self) -> None:
        page = self.page
        with self.act("Keep a material on one's own shelf", "fit?material=material:Lacquer") as press:
            press(page.get_by_role("button", name="From the shelf"))
            press(page.get_by_role("button", name="Keep it"))
            expect(
                page.get_by_role("region", name="Yours").get_by_role("list", name="Lacquer")
            ).to_be_visible()
        with self.act("Put a kept material on a slot", "fit?material=material:Leaf") as press:
            press(page.get_by_role("button", name="From the shelf"))
            press(page.get_by_role("region", name="Yours").get_by_role("button", name="Lacquer", exact=True))
            expect(page.get_by_role("region", name="Yours")).to_have_count(0)
            self.done()
            expect(page.get_by_role("button", name=re.compile("^Change Clear coat:"))).to_be_visible(
                timeout=60_000
            )
        with self.act("Keep a variant of a kept material", "fit?material=material:Leaf") as press:
            press(page.get_by_role("button", name="From the shelf"))
            press(page.get_by_label("Keep it as"), "a variant of Lacquer")
            press(page.get_by_role("button", name="Keep it"))
            looks = page.get_by_role("region", name="Yours").get_by_role("list", name="Lacquer")
            expect(looks.get_by_role("button", name="Lacquer, Leaf")).to_be_visible()
        slots = self.bench().reference().materials
        leaf, lacquer = (
            slots[f"material:{name}"].inputs["roughness"].factor[0] for name in ("Leaf", "Lacquer")
        )
        self.assertAlmostEqual(leaf, lacquer, 6)

    def looking(self) -> None:
        page = self.page
        with self.act("See how the UVs of a material lie", "inventory?tab=parts") as press:
            press(page.get_by_role("button", name="UV layout"))
            press(page.get_by_label("Material laid out"), "Leaf")
            expect(page.get_by_text(re.compile("triangles in .* island"))).to_be_visible()
        with self.act("See how many texels a metre has", "inventory?tab=parts") as press:
            press(page.get_by_role("button", name="Texels a metre"))
            expect(page.get_by_text("a line at every doubling")).to_be_visible()
        with self.act("Make a camera where the view stands", "inventory?tab=cameras") as press:
            page.wait_for_timeout(2500)  # the view is drawn
            press(page.get_by_label("Camera here"), "a new one")
            expect(page.get_by_role("tab", name=re.compile("^cameras", re.IGNORECASE))).to_contain_text("1")
        self.assertEqual([c.name for c in self.bench().reference().cameras.values()], ["Camera 1"])

    def light(self) -> None:
        page = self.page
        with self.act("Light the scene by a sky that ships", "light") as press:
            press(page.get_by_role("toolbar", name="Lit by").get_by_role("button", name="Low evening sun"))
            expect(
                page.get_by_role("toolbar", name="Lit by").get_by_role("button", name="Low evening sun")
            ).to_have_attribute("aria-pressed", "true")
        self.undo()
        expect(page.get_by_label("Strength of Daylight sun")).to_have_count(0)
        with self.act("Hang a soft panel", "light") as press:
            press(page.get_by_role("button", name="Soft panels…"))
            press(page.get_by_role("button", name="Add a panel"))
            expect(page.get_by_role("button", name="1 soft panel")).to_be_visible()
        self.undo()
        with self.act("Give a lamp a colour", "light") as press:
            press(page.get_by_role("button", name=re.compile("^Colour of Spot")))
            press(page.get_by_label("Colour of Spot, hex"), "#ff0000")
            expect(page.get_by_role("button", name="Colour of Spot: #ff0000")).to_be_visible()
        with self.act("Widen a spot", "light") as press:
            press(page.get_by_label("Spot, half angle where it ends"), "30")
            expect(page.get_by_label("Spot, half angle where it ends")).to_have_value("30")
        with self.act("Aim a lamp at a group", "light") as press:
            press(page.get_by_label("More", exact=True), "aim at Wagon")
            self.done()
        with self.act("Mirror a lamp to the other side", "light") as press:
            press(page.get_by_label("More", exact=True), "its mirror image across")
            expect(page.get_by_label("Strength of Spot, mirrored")).to_be_visible()
        self.assertEqual(len(self.bench().reference().lights), 2)

    def sides(self) -> None:
        page = self.page
        with self.act(
            "See both sides beside each other, judged where the view rests", "inventory?lens=lit"
        ) as press:
            press(page.get_by_label("Shown with"), "beside as it arrives")
            expect(page.get_by_alt_text("arrival, rendered")).to_be_visible(timeout=120_000)
            expect(page.get_by_text("ΔE")).to_be_visible(timeout=120_000)
        with self.act("See what was received alone", "inventory?lens=lit") as press:
            with page.expect_response(re.compile(r"/lit\.png\?side=received")) as drawn:
                press(page.get_by_label("Side shown"), "As received")
            self.assertTrue(drawn.value.ok)
