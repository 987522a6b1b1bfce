"""What is seen first: a still until the live picture is there, and both stand at the same place."""

import re

from playwright.sync_api import Route, expect

from server.moves.store import store
from tests.browser.making import BrowserTest
from tests.core.test_opening import lamplit
from trasloco.formats.gltf_write import write_glb
from trasloco.results.opening import expected_aspect

SEEN = """
window.seen = {};
const look = () => {
  const now = performance.now();
  if ([...document.querySelectorAll("h1")].some((one) => one.textContent === "What arrived")) seen.page ??= now;
  const still = document.querySelector("img[alt='What is seen first, rendered']");
  if (still?.complete && still.naturalWidth) seen.still ??= now;
  if (!still && seen.still) seen.live ??= now;
  requestAnimationFrame(look);
};
requestAnimationFrame(look);
"""


class Opening(BrowserTest):
    def test_a_lit_picture_is_there_within_a_second_and_the_live_one_takes_its_place(self) -> None:
        page = self.page
        page.add_init_script("localStorage.setItem('trasloco lens', 'lit')")
        self.open("/")
        page.get_by_test_id("files").set_input_files(
            [{"name": "box.glb", "mimeType": "model/gltf-binary", "buffer": write_glb(lamplit())}]
        )
        page.get_by_role("button", name="Begin the move").click()
        page.wait_for_url("**/inventory")
        expect(page.get_by_text("more findings may follow")).to_have_count(0, timeout=240_000)
        still = page.get_by_alt_text("What is seen first, rendered")
        expect(still).to_have_count(0, timeout=60_000)
        expect(page.get_by_text(re.compile("quick look"))).to_be_visible()
        # A view that has been opened before is opened again: its still is kept.
        page.add_init_script(SEEN)

        def late(route: Route) -> None:
            answer = route.fetch()
            page.wait_for_timeout(2000)
            route.fulfill(response=answer)

        page.route("**/lit?*", late)  # as of a scene of many images
        waits = []
        for _ in range(3):
            page.reload()
            still.wait_for()
            expect(still).to_have_count(0, timeout=60_000)
            seen = page.evaluate("window.seen")
            self.assertLess(seen["still"], seen["live"])
            waits.append(seen["still"] - seen["page"])
        self.assertLess(min(waits), 1000.0)
        wide = page.get_by_role("region", name="View").bounding_box()
        assert wide is not None
        self.assertLess(abs(expected_aspect(store) - wide["width"] / wide["height"]), 0.05)

    def test_pressing_the_view_takes_the_still_off(self) -> None:
        page = self.page
        page.add_init_script("localStorage.setItem('trasloco lens', 'lit')")
        self.open("/")
        page.route("**/lit?*", lambda route: None)  # the live picture never comes
        page.get_by_test_id("files").set_input_files(
            [{"name": "box.glb", "mimeType": "model/gltf-binary", "buffer": write_glb(lamplit())}]
        )
        page.get_by_role("button", name="Begin the move").click()
        page.wait_for_url("**/inventory")
        still = page.get_by_alt_text("What is seen first, rendered")
        still.wait_for(timeout=120_000)
        page.mouse.move(500, 450)
        page.mouse.down()
        page.mouse.move(540, 450)
        page.mouse.up()
        expect(still).to_have_count(0)
