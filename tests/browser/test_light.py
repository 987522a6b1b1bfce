"""The Light stop in a real browser: a mix that equals the core's, lightmaps baked and mended, panels and
daylight.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import expect

from server.moves.bench import Bench
from server.moves.models import Move
from tests.browser.making import BrowserTest
from tests.making import image, sky
from tests.server.making import GLB
from tests.server.test_lightmaps_api import WALLED
from trasloco.light.mixing import mixed
from trasloco.light.round_subject import usual_stand
from trasloco.render.exposure import displayed
from trasloco.results.pages.mixing import last_layers, mix_out


class Light(BrowserTest):
    def opened(self, name: str, data: bytes, more: dict[str, bytes] | None = None) -> Move:
        with tempfile.TemporaryDirectory() as folder:
            paths = []
            for file, content in {name: data, **(more or {})}.items():
                path = Path(folder) / file
                path.write_bytes(content)
                paths.append(str(path))
            self.drop(paths, "plain", "lanterna")
        return Move.objects.latest("id")

    def test_the_mix_in_the_browser_is_the_cores(self) -> None:
        move = self.opened("rich.glb", GLB, {"sky.exr": sky(0.5).data})
        page = self.page
        self.stop("Light").click()
        page.get_by_role("button", name="Render each lamp alone").click()
        expect(page.get_by_role("slider", name="Lamp, stops")).to_be_visible(timeout=120_000)
        lamp, spot = (page.get_by_role("slider", name=f"{name}, stops") for name in ("Lamp", "Spot"))
        lamp.focus()
        page.keyboard.press("Shift+ArrowUp")
        page.keyboard.press("Shift+ArrowUp")
        expect(lamp).to_have_attribute("aria-valuetext", "+2.0 EV")
        spot.focus()
        page.keyboard.press("Space")
        expect(spot).to_have_attribute("aria-valuetext", "struck out")
        page.wait_for_timeout(500)
        shown = np.array(
            page.evaluate(
                "() => { const c = document.querySelector('[aria-label=\"The mix\"]'); return Array.from(c.getContext('2d').getImageData(0, 0, c.width, c.height).data); }"
            ),
            np.uint8,
        )
        bench = Bench(Move.objects.get(id=move.id))
        layers = last_layers(bench)[2]
        assert layers is not None
        names = {
            bench.reference().nodes[name].name: (name, base)
            for name, base in zip(layers.names, layers.strengths, strict=True)
            if name in bench.reference().nodes
        }
        wanted = displayed(
            mixed(layers, {names["Lamp"][0]: names["Lamp"][1] * 4, names["Spot"][0]: 0.0}),
            mix_out(bench)["ev100"],
        )
        np.testing.assert_allclose(
            shown.reshape(*wanted.shape[:2], 4)[..., :3].astype(int), wanted.astype(int), atol=1
        )
        page.get_by_role("button", name="Write the mix down as strengths").click()
        expect(page.get_by_label("Strength of Lamp")).to_have_value("80")
        expect(page.get_by_label("Spot on")).not_to_be_checked()
        page.get_by_label("Unit of Lamp").select_option("lm")
        expect(page.get_by_label("Strength of Lamp")).to_have_value("1005.3")
        page.get_by_label("Strength of Lamp").fill("125.66")
        page.get_by_label("Strength of Lamp").press("Enter")
        expect(page.get_by_label("Strength of Lamp")).to_have_value("125.66")
        page.get_by_label("Unit of Lamp").select_option("cd")
        expect(page.get_by_label("Strength of Lamp")).to_have_value("9.9997")

    def test_light_is_written_down_and_a_leak_is_mended_with_one_press(self) -> None:
        move = self.opened("walled.glb", WALLED)
        page = self.page
        self.stop("Light").click()
        page.get_by_role("button", name="Lightmaps").click()
        page.get_by_role("button", name="Write light down").click()
        page.get_by_label("Quality").select_option(label="Glance, 16 paths")
        page.get_by_label("Light sent on").select_option(label="direct light only")
        page.get_by_label("Texels a metre on Floor").fill("12")
        page.get_by_label("Texels a metre on Floor").press("Enter")
        page.get_by_label("Memory, MiB").fill("0.05")
        page.get_by_label("Memory, MiB").press("Enter")
        expect(page.get_by_text("the sheet gives 12 MiB")).to_be_visible()
        page.get_by_role("button", name="Bake", exact=True).click()
        expect(page.get_by_role("button", name="Light leaks through on Floor.")).to_be_visible(
            timeout=120_000
        )
        page.get_by_role("button", name="Light leaks through on Floor.").click()
        expect(page.get_by_role("button", name="Leaks", exact=True)).to_have_attribute("aria-pressed", "true")
        page.get_by_role("region", name="Faults").get_by_role("button", name="texels a metre").first.click()
        expect(page.get_by_role("button", name="Light leaks through on Floor.")).to_have_count(
            0, timeout=120_000
        )
        expect(page.get_by_role("button", name="Bake again")).to_be_visible(timeout=120_000)
        self.assertGreater(Bench(Move.objects.get(id=move.id)).wish.density["part:Floor"], 12)
        page.get_by_role("button", name="Write no light down in this move").click()
        expect(page.get_by_role("button", name="Write light down")).to_be_visible()

    def test_a_panel_is_hung_and_moved_and_a_sky_taken(self) -> None:
        self.opened(
            "rich.glb", GLB, {"sky.exr": image("sky", np.full((16, 32, 3), 1.0, np.float32), "exr").data}
        )
        page = self.page
        self.stop("Light").click()
        page.get_by_role("button", name="Soft panels…").click()
        page.get_by_role("button", name="Add a panel").click()
        mark = page.get_by_role("button", name="Panel 1: 140 degrees round, 40 high")
        expect(mark).to_be_visible(timeout=90_000)
        mark.focus()
        page.keyboard.press("ArrowRight")
        expect(page.get_by_role("button", name="Panel 1: 142 degrees round, 40 high")).to_be_visible()
        page.get_by_role("button", name="remove").click()
        expect(page.get_by_role("button", name="Soft panels…")).to_be_visible()
        page.get_by_role("button", name="Daylight…").click()
        page.get_by_label("Hour by the clock").fill("2")
        page.get_by_role("button", name="Take this sky").click()
        expect(page.get_by_text("The sun is down at that place and time.")).to_be_visible()
        page.get_by_label("Hour by the clock").fill("15")
        page.get_by_role("button", name="Take this sky").click()
        expect(page.get_by_text("daylight.exr")).to_be_visible()
        expect(page.get_by_text("its sun is a light of its own")).to_be_visible()
        expect(page.get_by_label("Strength of Daylight sun")).to_be_visible()

    def test_lights_are_added_and_moved_before_a_backdrop_and_the_picture_follows(self) -> None:
        move = self.opened("rich.glb", GLB)
        page = self.page
        self.stop("Light").click()
        picture = page.get_by_role("figure", name="The scene in this light").get_by_role("img")
        expect(picture).to_be_visible(timeout=60_000)
        before = picture.get_attribute("src")
        page.get_by_label("Add a light").select_option("rectangle")
        usual = usual_stand(Bench(move).reference())
        mark = page.get_by_role(
            "button",
            name=f"Added rectangle 1: {usual.azimuth_deg:.0f} degrees round, {usual.height_deg:.0f} high",
        )
        mark.focus()
        page.keyboard.press("ArrowUp")
        expect(
            page.get_by_role(
                "button", name=f"Added rectangle 1: {usual.azimuth_deg:.0f} degrees round, 42 high"
            )
        ).to_be_visible()
        expect(page.get_by_label("Added rectangle 1, degrees high")).to_have_value("42")
        expect(picture).not_to_have_attribute("src", before or "", timeout=60_000)
        page.get_by_label("What Added rectangle 1 is").select_option("opening")
        expect(page.get_by_label("Strength of Added rectangle 1")).to_have_count(0)
        page.get_by_label("More", exact=True).last.select_option(label="take it away")
        expect(mark).to_have_count(0)
        page.get_by_role("button", name="Backdrop…").click()
        page.get_by_label("Behind the subject").select_option("color")
        expect(page.get_by_label("Level of the backdrop, nit")).to_have_value("100")
        page.get_by_label("simulate it on the arrival").first.click()
        expect(page.get_by_label("simulate it on the arrival").first).to_be_checked()
