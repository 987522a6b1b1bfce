"""What is seen first: a still until the live picture is there, and both stand at the same place."""

import re
from dataclasses import replace
from typing import Any

import numpy as np
from playwright.sync_api import Route, expect

from server.moves.bench import Bench
from server.moves.models import DecisionRow, Move
from server.moves.store import store
from tests.browser.making import BrowserTest
from tests.chromium import SEEN
from tests.core.test_opening import lamplit
from trasloco.formats.gltf_write import write_glb
from trasloco.results.opening import expected_aspect, opening
from trasloco.scene.model import Scene


def box() -> Scene:
    """A cube of a metre under a lamp."""
    given = lamplit()
    nodes = {id: node for id, node in given.nodes.items() if node.name != "Far"}
    return replace(given, nodes=nodes)


class Opening(BrowserTest):
    def test_a_lit_picture_is_there_within_a_second_and_the_live_one_takes_its_place(self) -> None:
        page = self.page
        page.add_init_script("localStorage.setItem('trasloco lens', 'lit')")
        self.open("/")
        page.get_by_test_id("files").set_input_files(
            [{"name": "box.glb", "mimeType": "model/gltf-binary", "buffer": write_glb(box())}]
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
        page.unroute_all(behavior="wait")
        self.assertLess(min(waits), 1000.0)
        wide = page.get_by_role("region", name="View").bounding_box()
        assert wide is not None
        self.assertLess(abs(expected_aspect(store) - wide["width"] / wide["height"]), 0.05)
        # The live view stands where the still was drawn from, and a person beside the subject does not shrink it.
        move = Move.objects.latest("id")
        meant = opening(Bench(move), "mended", expected_aspect(store)).view
        self.assertLess(abs(self.kept(move)["yfov_rad"] - meant.yfov_rad), 1e-6)
        np.testing.assert_allclose(np.reshape(self.kept(move)["matrix"], (4, 4)), meant.matrix, atol=1e-4)
        page.get_by_role("button", name=re.compile("^Rod: ")).click()
        page.get_by_role("button", name="Rod: shown beside a person").wait_for()
        beside = np.reshape(self.kept(move)["matrix"], (4, 4))
        page.get_by_role("button", name="Fit to view").click()
        alone = np.reshape(self.kept(move)["matrix"], (4, 4))
        away = [float(np.linalg.norm(one[:3, 3] - meant.matrix[:3, 3])) for one in (beside, alone)]
        reach = float(np.linalg.norm(meant.matrix[:3, 3]))
        self.assertLess(away[1], 0.05 * reach)
        self.assertGreater(away[0], 0.2 * reach)

    def kept(self, move: Move) -> dict[str, Any]:
        """Where the view stands now, kept for proofs and read from what was decided."""
        button = self.page.get_by_role("button", name=re.compile("Keep for proofs|kept$"))
        before = DecisionRow.objects.filter(move=move).count()
        self.page.wait_for_timeout(400)
        button.click()
        for _ in range(200):
            if DecisionRow.objects.filter(move=move).count() > before:
                break
            self.page.wait_for_timeout(50)
        else:
            self.fail("the view was not kept")
        row = DecisionRow.objects.filter(move=move, field="views").latest("id")
        return dict(row.value[-1])

    def test_pressing_the_view_takes_the_still_off(self) -> None:
        page = self.page
        page.add_init_script("localStorage.setItem('trasloco lens', 'lit')")
        self.open("/")
        page.route("**/lit?*", lambda route: None)  # the live picture never comes
        page.get_by_test_id("files").set_input_files(
            [{"name": "box.glb", "mimeType": "model/gltf-binary", "buffer": write_glb(box())}]
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
