"""The first stop in a real browser: samples, choice, names, slots, findings marked on the model, images."""

import io
import re
import zipfile

from playwright.sync_api import expect

from server.moves.bench import Bench
from server.moves.models import Move
from tests.browser.making import BrowserTest
from tests.making import demo_files


class Inventory(BrowserTest):
    def bench(self) -> Bench:
        return Bench(Move.objects.latest("id"))

    def tab(self, name: str) -> None:
        self.page.get_by_role("tab", name=re.compile(name, re.IGNORECASE)).click()

    def test_the_winch_from_colours_to_named_slots(self) -> None:
        demo_files()
        self.open("/")
        page = self.page
        page.get_by_role("button", name="The winch as OBJ").click()
        expect(page.get_by_role("heading", name="What arrived")).to_be_visible(timeout=180_000)
        expect(page.get_by_text("more findings may follow")).to_have_count(0, timeout=240_000)
        page.get_by_role("button", name="Make 7 slots").click()
        self.tab("materials")
        rows = page.get_by_role("listbox", name="materials").get_by_role("option")
        expect(rows).to_have_count(7)
        rows.nth(0).click()
        page.get_by_label("Name pattern").fill("frame iron")
        page.get_by_role("button", name="Rename").click()
        expect(rows.filter(has_text="frame iron")).to_have_count(1)
        rows.nth(1).click()
        page.get_by_label("Merge into").select_option(label="frame iron")
        expect(rows).to_have_count(6)
        page.get_by_role("button", name="Undo").click()
        expect(rows).to_have_count(7)
        self.assertEqual(
            len({p.material for m in self.bench().reference().meshes.values() for p in m.primitives}), 7
        )

        self.tab("parts")
        page.get_by_role("treegrid", name="parts").get_by_role("row", name="Winch").click()
        page.get_by_role("button", name="More tools").click()
        expect(page.get_by_text("7 ID colours")).to_be_visible()
        page.get_by_label("Move y").fill("2")
        page.get_by_role("button", name="Place", exact=True).click()
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        page.get_by_role("button", name="Stand on the ground").click()
        page.get_by_label("Size").fill("zero")
        expect(page.get_by_text("Numbers only")).to_be_visible()

    def test_what_comes_along_findings_on_the_model_and_images(self) -> None:
        self.drop([str(demo_files()[2])], "bottega", "lanterna")
        page = self.page
        page.get_by_role("button", name="Sheets are seen from behind").click()
        expect(page.get_by_text("hatched: sheets are seen from behind")).to_be_visible()
        expect(page.get_by_label("Side shown")).to_have_value("received")
        page.get_by_role("button", name="clear").click()
        expect(page.get_by_label("Side shown")).to_have_value("mended")
        page.get_by_label("Filter findings").fill("trunk")
        expect(page.get_by_role("list", name="Findings").get_by_role("listitem")).to_have_count(3)

        self.tab("along")
        page.get_by_label("Name pattern").fill("*crate*")
        page.get_by_role("button", name="Leave out").click()
        expect(page.get_by_text("89 of 90 parts come along")).to_be_visible()
        page.get_by_label("Reference objects").click()
        expect(page.get_by_text("88 of 90 parts come along")).to_be_visible()
        page.get_by_role("button", name="Take along again").click()
        expect(page.get_by_text("89 of 90 parts come along")).to_be_visible()
        page.get_by_label("Known height in metres").fill("3.5")
        page.get_by_label("Known height in metres").press("Enter")
        expect(page.get_by_text("3.50 m high")).to_be_visible()
        with page.expect_download() as download:
            page.get_by_role("link", name="All images as files").click()
        names = zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes())).namelist()
        self.assertEqual(len(names), len(set(names)))
        self.assertEqual(len(names), sum(bool(i.data) for i in self.bench().received().scene.images.values()))

        self.tab("images")
        page.get_by_role("listbox", name="images").get_by_role("option").nth(3).click()
        expect(page.get_by_text("a normal map. Green points down", exact=False)).to_be_visible()
        page.get_by_role("group", name="Channel").get_by_role("button", name="G").click()
        expect(page.get_by_role("group", name="Channel").get_by_role("button", name="G")).to_have_attribute(
            "aria-pressed", "true"
        )
