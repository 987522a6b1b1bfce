"""Answers that come late: what was asked for before an act does not stand for what is after it."""

import contextlib
import re
from typing import Any

from playwright.sync_api import Error, Route, expect

from server.moves.models import DecisionRow, Move
from tests.browser.making import BrowserTest
from tests.making import cube, material, scene
from trasloco.formats.gltf_write import write_glb


class LateAnswers(BrowserTest):
    def test_an_undo_shows_what_is_even_where_an_older_answer_arrives_after_the_act(self) -> None:
        parts = cube(material="material:Brass"), cube(2.0, "material:Felt")
        given = scene(*parts, materials=(material("Brass"), material("Felt")), names=("Knob", "Pad"))
        page = self.page
        self.open("/")
        page.get_by_test_id("files").set_input_files(
            [{"name": "pair.glb", "mimeType": "model/gltf-binary", "buffer": write_glb(given)}]
        )
        page.get_by_role("button", name="Begin the move").click()
        page.wait_for_url("**/inventory")
        expect(page.get_by_text("more findings may follow")).to_have_count(0, timeout=240_000)
        page.get_by_role("tab", name=re.compile("materials", re.IGNORECASE)).click()
        rows = page.get_by_role("listbox", name="materials").get_by_role("option")
        expect(rows).to_have_count(2)
        move = Move.objects.latest("id")
        late: list[tuple[Route, Any]] = []

        def keep(route: Route) -> None:
            late.append((route, route.fetch()))

        # Another window takes a note, so that the page asks what the move now is; the answer is held back.
        page.route(re.compile(rf"/api/moves/{move.id}$"), keep)
        DecisionRow.objects.create(move=move, batch=1, target="part:Pad", field="name", value="Cushion")
        while not late:
            page.wait_for_timeout(50)
        page.route("**/pulse", lambda route: None)
        rows.nth(0).click()
        page.get_by_label("Merge into").select_option(label="Felt")
        expect(rows).to_have_count(1)
        page.unroute(re.compile(rf"/api/moves/{move.id}$"))
        for route, answer in late:
            with contextlib.suppress(Error):  # it is not waited for any more
                route.fulfill(response=answer)
        page.wait_for_timeout(300)
        page.get_by_role("button", name="Undo").click()
        expect(rows).to_have_count(2)
