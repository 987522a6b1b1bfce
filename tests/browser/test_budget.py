"""A budget in the browser: choices measured, a limit set, one thing kept whole, taken by one press, undone."""

from __future__ import annotations

import tempfile

from playwright.sync_api import expect

from server.moves.bench import Bench
from server.moves.models import Move
from tests.browser.looking import LookingTest
from tests.core.test_budget import FINE, PLAIN, boards
from tests.fits import small_budgets
from trasloco.formats.gltf_write import write_glb


class Budget(LookingTest):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(small_budgets())

    def fitted(self) -> None:
        """The boards on their way, at the Fit stop."""
        with tempfile.NamedTemporaryFile(suffix=".glb") as file:
            file.write(write_glb(boards()))
            file.flush()
            self.drop([file.name], "plain", "lanterna")
        self.stop("Fit").click()

    def sides(self) -> dict[str, int]:
        plan = Bench(Move.objects.get()).plan()
        return {image.material: max(image.width, image.height) for image in plan.images}

    def test_a_limit_is_set_kept_taken_and_undone(self) -> None:
        page = self.page
        self.fitted()
        page.get_by_role("button", name="Under a budget").click()
        page.get_by_role("button", name="Measure what can be made smaller").click()
        memory = page.get_by_label("At most, Image memory, MiB")
        expect(memory).to_be_visible(timeout=120_000)
        memory.fill("0.1")
        memory.press("Enter")
        rows = page.get_by_role("table", name="What is made smaller").get_by_role("row")
        expect(rows.filter(has_text="Plain")).to_have_count(1)
        self.look("under a budget")
        page.get_by_role("button", name="Keep whole: Plain").click()
        expect(rows.filter(has_text="Plain")).to_have_count(0)
        expect(rows.filter(has_text="Fine")).to_have_count(1)
        page.get_by_role("button", name="Measure it as a whole").click()
        expect(page.get_by_text("Measured as a whole")).to_be_visible(timeout=60_000)
        page.get_by_role("button", name="Take 1 change").click()
        expect(page.get_by_text("It is taken.")).to_be_visible()
        self.assertLess(self.sides()[FINE], self.sides()[PLAIN])
        # Where one was is remembered by the address.
        page.reload()
        expect(memory).to_have_value("0.1")
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("button", name="Take 1 change")).to_be_enabled()
        self.assertEqual(self.sides()[FINE], self.sides()[PLAIN])
        self.assertEqual(self.found, [])

    def test_files_of_another_kind_are_chosen_for_one_and_for_many(self) -> None:
        page = self.page
        self.fitted()
        options = page.get_by_role("listbox", name="Materials").get_by_role("option")
        options.filter(has_text="Fine").click()
        images = page.get_by_role("list", name="Delivered images")
        expect(images.get_by_text("fine-color.png")).to_be_visible()
        with page.expect_response("**/decisions"):
            page.get_by_label("Kind of its image files").select_option("jpg")
        expect(images.get_by_text("fine-color.jpg")).to_be_visible()
        loss = page.get_by_label("ΔE that its image files may lose")
        expect(loss).to_be_enabled()
        with page.expect_response("**/decisions"):
            loss.fill("1.5")
            loss.press("Enter")
        expect(loss).to_have_value("1.5")
        self.assertEqual(self.files(), {FINE: ("jpg", 1.5), PLAIN: ("png", 0.0)})
        options.filter(has_text="Plain").click(modifiers=["ControlOrMeta"])
        with page.expect_response("**/decisions"):
            page.get_by_label("Kind of its image files").select_option("ktx2")
        expect(page.get_by_label("Kind of its image files")).to_have_value("ktx2")
        self.assertEqual(self.files(), {FINE: ("ktx2", 0.0), PLAIN: ("ktx2", 0.0)})
        with page.expect_response("**/undo"):
            page.get_by_role("button", name="Undo").click()
        expect(page.get_by_label("Kind of its image files")).not_to_have_value("ktx2")
        self.assertEqual(self.files(), {FINE: ("jpg", 1.5), PLAIN: ("png", 0.0)})

    def files(self) -> dict[str, tuple[str, float]]:
        plan = Bench(Move.objects.get()).plan()
        return {image.material: (image.kind, image.loss) for image in plan.images}
