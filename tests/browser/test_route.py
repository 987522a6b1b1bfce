"""The whole route in a real browser, with the demo's real files."""

import re
import zipfile
from pathlib import Path

from playwright.sync_api import expect

from server.moves.models import Handover, Move, ProofRow
from tests.browser.making import BrowserTest
from tests.making import demo_files
from tests.server.making import GLB


class Route(BrowserTest):
    def prove(self, quality: str = "Quick, 8 samples") -> float:
        # A small picture says as much here, in a quarter of the time.
        self.page.evaluate("localStorage.setItem('trasloco proof wish', JSON.stringify({size: '320'}))")
        self.stop("Proof").click()
        self.page.get_by_label("Quality").select_option(label=quality)
        self.page.get_by_role("button", name="Prove", exact=True).click()
        expect(self.page.get_by_test_id("mean")).to_be_visible(timeout=240_000)
        return self.figure("mean")

    def test_the_received_delivery_from_the_desk_to_the_package(self) -> None:
        self.drop([str(demo_files()[2])], "bottega", "lanterna")
        page = self.page
        findings = page.get_by_role("list", name="Findings").get_by_role("listitem")
        expect(findings).to_have_count(14)
        first = page.get_by_role("button", name="Turn 12 faces")
        expect(first).to_be_visible()
        page.get_by_role("button", name="Faces look away Wing flat left 1").click()
        expect(page.get_by_role("button", name="Facing")).to_have_attribute("aria-pressed", "true")
        expect(page.get_by_text("hatched: seen from behind, 200 faces look away")).to_be_visible()
        page.get_by_role("button", name="Mend 1 repair").click()
        expect(findings).to_have_count(13)
        expect(page.get_by_text("hatched: seen from behind, 188 faces look away")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(findings).to_have_count(14)
        page.keyboard.press("Control+Shift+z")
        expect(findings).to_have_count(13)

        self.stop("Fit").click()
        page.get_by_role("listbox", name="materials").get_by_role("option", name="Paper laurel").click()
        expect(page.get_by_text("waits for you")).to_be_visible()
        self.stop("Inventory").click()
        expect(page.get_by_text("guesses are left to be looked at")).to_be_visible()
        expect(page.get_by_role("button", name="Mend 1 repair")).to_have_count(0)
        for left, words in enumerate(
            (
                "Leave out second",
                "Relink",
                "Remove tint",
                "Set centimetres",
                "Set Z up",
                "Turn 188 faces",
                "Draw both sides",
                "Leave out",
                "Leave out",
                "Leave out",
            )
        ):
            page.get_by_role("button", name=words, exact=True).first.click()
            expect(findings).to_have_count(12 - left)
        page.get_by_role("button", name="Look again").click()
        expect(page.get_by_role("region", name="After mending").get_by_text("Looked at again")).to_be_visible(
            timeout=120_000
        )
        self.stop("Fit").click()
        page.get_by_role("listbox", name="materials").get_by_role("option", name="Paper laurel").click()
        expect(page.get_by_text("waits for you")).to_have_count(0)
        expect(page.get_by_text("cut at 0.50")).to_be_visible()
        page.get_by_role("listbox", name="materials").get_by_role("option", name="Stage boards").click()
        expect(page.get_by_text("made a normal map")).to_be_visible()
        expect(page.get_by_text("inverted")).to_be_visible()

        page.get_by_role("button", name=re.compile("^Change Clear coat:")).click()
        page.get_by_label("Clear coat", exact=True).fill("0.25")
        page.get_by_label("Clear coat", exact=True).press("Enter")
        expect(page.get_by_role("cell", name="Clear coat 0.25").first).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("cell", name="Clear coat 0.6").first).to_be_visible()

        page.get_by_role("button", name="Leave out").click()
        page.get_by_role("button", name="Take clearcoat along").click()
        expect(page.get_by_role("cell", name="Clear coat 0.6").first).to_be_visible()

        mean = self.prove()
        self.assertLess(mean, 2.3)
        self.assertEqual(round(ProofRow.objects.get().figures["judged"], 1), mean)
        page.reload()
        self.assertEqual(self.figure("mean"), mean)

        self.stop("Handover").click()
        expect(page.get_by_test_id("count-unaccounted")).to_have_text("0", timeout=120_000)
        page.get_by_role("button", name="Material inputs").click()
        page.get_by_role("button", name="Deliver", exact=True).click()
        expect(page.get_by_role("button", name="1 · ")).to_be_visible(timeout=120_000)
        with page.expect_download() as download:
            page.get_by_role("link", name="Download").click()
        path = Path(str(download.value.path()))
        names = zipfile.ZipFile(path).namelist()
        self.assertEqual(
            set(names)
            - {"contents.txt", "packing-list.json", "packing-list.txt", "report.html", "return-note.txt"},
            set(Handover.objects.get().files),
        )
        self.assertIn("media/stage-boards-surface.png", names)

    def test_the_clean_delivery_and_its_lights(self) -> None:
        clean, sky, _ = demo_files()
        self.drop([str(clean), str(sky)], "plain", "lanterna")
        page = self.page
        expect(page.get_by_role("tab", name="Parts 86")).to_be_visible()
        page.get_by_role("tab", name="Parts 86").click()
        page.get_by_role("searchbox", name="Search parts").fill("footlight 3")
        rows = page.get_by_role("treegrid", name="parts").get_by_role("row")
        expect(rows.filter(has_text="Footlight 3")).to_have_count(5)
        with_lights = self.prove()
        self.stop("Light").click()
        page.get_by_label("Strength of Lantern").fill("64")
        page.get_by_label("Strength of Lantern").press("Enter")
        expect(page.get_by_text("64 cd, unit and shadows stated")).to_be_visible()
        self.stop("Proof").click()
        expect(page.get_by_text("The plan has changed since. Prove again.")).to_be_visible()
        page.get_by_label("Destination sheet").select_option("taccuino")
        self.stop("Light").click()
        expect(page.get_by_text("Taccuino takes no point lights.").first).to_be_visible()
        self.stop("Proof").click()
        page.get_by_role("button", name="Prove", exact=True).click()
        expect(page.get_by_text("Front row, over 2 proofs")).to_be_visible(timeout=240_000)
        page.get_by_role("tab", name="Proofs").click()
        expect(page.get_by_role("button", name="2", exact=True)).to_be_visible(timeout=240_000)
        # Five footlights and the lantern are lost: the stage goes dark, the figure says so, and so do the
        # causes.
        self.assertGreater(self.figure("mean"), with_lights + 5)
        page.get_by_role("button", name="Find what is to blame").click()
        causes = page.get_by_role("region", name="Causes")
        expect(causes.get_by_text("6 lamps")).to_be_visible(timeout=240_000)
        expect(causes.get_by_text("They did not arrive.")).to_be_visible()
        causes.get_by_role("button", name="accept it").first.click()
        expect(causes.get_by_text("accepted, take back")).to_be_visible()
        causes.get_by_role("link", name="See in Light").first.click()
        expect(page.get_by_text("Taccuino takes no point lights.").first).to_be_visible()

    def test_pictures_of_a_proof_move_together_and_are_read(self) -> None:
        page = self.page
        self.open("/")
        page.get_by_test_id("files").set_input_files(
            [{"name": "rich.glb", "mimeType": "model/gltf-binary", "buffer": GLB}]
        )
        page.get_by_role("button", name="Begin the move").click()
        keep = page.get_by_role("button", name=re.compile("Keep for proofs|Not drawn yet"))
        expect(keep).to_be_visible(timeout=60_000)
        for _ in range(30):
            if not keep.count():
                break
            keep.click()
            page.wait_for_timeout(1000)
        expect(page.get_by_text("View 1 kept")).to_be_visible()
        self.stop("Proof").click()
        view = page.get_by_label("View", exact=True)
        expect(view.get_by_role("option", name="View 1")).to_have_count(1, timeout=120_000)
        view.select_option("View 1")
        page.get_by_role("button", name="more choices").click()
        page.get_by_label("Width in pixels").fill("320")
        page.get_by_label("Width in pixels").press("Enter")
        page.get_by_label("Time a side, s").fill("20")
        page.get_by_label("Quality").select_option(label="Quick, 8 samples")
        page.get_by_role("button", name="Prove", exact=True).click()
        expect(page.get_by_test_id("mean")).to_be_visible(timeout=240_000)
        reference = page.get_by_alt_text("reference")
        box = reference.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        expect(page.get_by_text("nit ·").first).to_be_visible()
        page.keyboard.press("+")
        expect(page.get_by_text("1.5 times, show all")).to_be_visible()
        transforms = [
            page.get_by_alt_text(name).evaluate("e => e.style.transform")
            for name in ("reference", "arrival", "difference")
        ]
        self.assertEqual(len(set(transforms)), 1)
        page.get_by_role("button", name="Flick").click()
        page.keyboard.down("Space")
        expect(page.get_by_alt_text("arrival")).to_be_visible()
        page.keyboard.up("Space")
        expect(page.get_by_alt_text("reference")).to_be_visible()
        page.get_by_label("Channel").select_option("R")
        with page.expect_download() as download:
            page.get_by_role("link", name="reference EXR").click()
        self.assertTrue(download.value.suggested_filename.endswith("reference.exr"))

    def test_bad_files_are_refused_in_words_and_the_desk_goes_on(self) -> None:
        page = self.page
        self.open("/")
        page.get_by_test_id("files").set_input_files(
            [{"name": "letter.glb", "mimeType": "model/gltf-binary", "buffer": b"dear all"}]
        )
        page.get_by_role("button", name="Begin the move").click()
        expect(page.get_by_role("alert")).to_contain_text("its content is something else")
        page.get_by_role("link", name="Trasloco, back to the desk").click()
        expect(page.get_by_text("Refused.")).to_be_visible()
        page.get_by_role("button", name="Take letter off the desk").click()
        expect(page.get_by_text("The desk is empty")).to_be_visible()
        self.assertFalse(Move.objects.filter(deleted=None).exists())

    def test_keyboard_alone_reaches_a_stop_and_the_theme_is_kept(self) -> None:
        page = self.page
        self.open("/sheets")
        expect(page.get_by_role("link", name="Lanterna")).to_be_visible()
        for _ in range(4):
            page.keyboard.press("Tab")
        page.keyboard.press("Enter")
        self.assertIn(page.evaluate("document.documentElement.dataset.theme"), ("day", "dim"))
        chosen = page.evaluate("document.documentElement.dataset.theme")
        page.reload()
        self.assertEqual(page.evaluate("document.documentElement.dataset.theme"), chosen)
