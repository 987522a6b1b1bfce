"""What pages say before there is anything, while it comes, when it cannot be, and when there is a lot of it."""

from __future__ import annotations

import threading
from unittest import mock

import numpy as np
from django.test import override_settings
from playwright.sync_api import expect

from server.moves.bench import Bench
from server.moves.models import Job, Move
from tests.browser.making import BrowserTest
from tests.making import cube, material, scene
from trasloco import move as verbs
from trasloco.formats.gltf_write import write_glb

MANY = 2000


def crowd() -> bytes:
    """Two thousand parts on a grid, in forty materials."""
    made = tuple(material(f"cloth {k:02}", base_color=(k / 40, 0.5, 0.5)) for k in range(40))
    parts = [cube(0.1, made[k % 40].id) for k in range(MANY)]
    given = scene(*parts, materials=made, names=tuple(f"seat {k:04}" for k in range(MANY)))
    nodes = {}
    for k, (id, node) in enumerate(given.nodes.items()):
        matrix = np.eye(4)
        matrix[:3, 3] = (k % 50 * 0.5, 0, k // 50 * 0.5)
        nodes[id] = type(node)(id, node.name, node.parent, matrix, mesh=node.mesh)
    return write_glb(type(given)(given.name, nodes, given.meshes, given.materials))


class States(BrowserTest):
    def made(self, name: str, data: bytes) -> Move:
        """A move by the API, as it stands when its delivery is read."""
        self.open("/")
        expect(self.page.get_by_text("The desk is empty")).to_be_visible()
        self.page.get_by_test_id("files").set_input_files(
            [{"name": name, "mimeType": "model/gltf-binary", "buffer": data}]
        )
        self.page.get_by_role("button", name="Begin the move").click()
        self.page.wait_for_url("**/inventory")
        return Move.objects.get()

    def test_an_address_of_nothing_is_told_and_leads_back(self) -> None:
        self.open("/moves/4711/fit")
        expect(self.page.get_by_role("alert")).to_be_visible()
        self.page.get_by_role("link", name="Trasloco, the desk").click()
        expect(
            self.page.get_by_text("The desk is empty. Drop a scene to begin its first move.")
        ).to_be_visible()

    def test_a_delivery_that_is_being_read_says_so_until_it_is_there(self) -> None:
        go, real = threading.Event(), Bench.received

        def slow(bench: Bench) -> object:
            go.wait(60)
            return real(bench)

        with mock.patch.object(Bench, "received", slow):
            self.made("chair.glb", write_glb(scene(cube(1.0), materials=(material("m"),))))
            expect(self.page.get_by_role("heading", name="Reading the delivery")).to_be_visible()
            self.open("/")
            expect(self.page.get_by_role("link", name="chair")).to_be_visible()
            go.set()
        self.page.get_by_role("link", name="chair").first.click()
        expect(self.page.get_by_role("heading", name="What arrived")).to_be_visible(timeout=60_000)

    @override_settings(SOON=True)
    def test_marks_are_as_promised_until_they_are_measured(self) -> None:
        move = self.made(
            "chair.glb", write_glb(scene(cube(1.0), materials=(material("m", roughness=(0.4,)),)))
        )
        expect(self.page.get_by_role("heading", name="What arrived")).to_be_visible(timeout=60_000)
        # The plan of what arrived was measured while it was surveyed; that of what is decided is not.
        move.decisions.create(batch=1, target="material:m/roughness", field="factor", value=[0.9])
        go, real = threading.Event(), verbs.plan

        def slow(*given: object) -> object:
            go.wait(60)
            return real(*given)  # type: ignore[arg-type]

        with mock.patch.object(verbs, "plan", slow):
            self.stop("Fit").click()
            promised = self.page.get_by_text("Marks are as promised")
            expect(promised).to_be_visible()
            expect(self.page.get_by_role("heading", name="m", exact=True)).to_be_visible()
            go.set()
            expect(promised).to_have_count(0, timeout=20_000)
        expect(self.page.get_by_role("navigation", name="Route").get_by_text("all carried")).to_be_visible()

    def test_a_job_that_was_refused_or_died_is_told_and_can_be_run_again(self) -> None:
        move = self.made("chair.glb", write_glb(scene(cube(1.0), materials=(material("m"),))))
        expect(self.page.get_by_role("heading", name="What arrived")).to_be_visible(timeout=60_000)
        self.stop("Handover").click()
        deliver = self.page.get_by_role("button", name="Deliver")
        expect(deliver).to_be_enabled(timeout=60_000)
        with mock.patch("server.moves.deliver.delivered", side_effect=MemoryError):
            deliver.click()
            expect(self.page.get_by_text("The machine has too little memory for this.")).to_be_visible(
                timeout=60_000
            )
        self.assertEqual(Job.objects.filter(move=move, kind="deliver").get().state, Job.State.REFUSED)
        self.assertEqual(move.handovers.count(), 0)

    def test_two_thousand_parts_are_listed_searched_and_chosen_by_keys(self) -> None:
        self.made("stalls.glb", crowd())
        page = self.page
        expect(page.get_by_role("heading", name="What arrived")).to_be_visible(timeout=180_000)
        page.get_by_role("tab", name="parts").click()
        rows = page.get_by_role("treegrid", name="parts")
        expect(rows.get_by_role("row").first).to_be_visible()
        self.assertLess(rows.get_by_role("row").count(), 80, "only what is seen is drawn")
        first = rows.get_by_role("row", name="seat 0000")
        expect(first).to_have_attribute("aria-setsize", str(MANY))
        first.click()
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Shift+ArrowDown")
        expect(rows.get_by_role("row", selected=True)).to_have_count(3)
        page.keyboard.press("End")
        expect(rows.get_by_role("row", name=f"seat {MANY - 1:04}")).to_be_focused()
        page.keyboard.press("Escape")
        expect(rows.get_by_role("row", selected=True)).to_have_count(0)
        page.get_by_label("Search parts").fill("seat 1999")
        expect(rows.get_by_role("row")).to_have_count(1)
        page.get_by_label("Search parts").fill("nobody")
        expect(page.get_by_text("Nothing matches the search.")).to_be_visible()

    def test_papers_are_reached_by_arrow_keys(self) -> None:
        self.made("chair.glb", write_glb(scene(cube(1.0), materials=(material("m"),))))
        page = self.page
        expect(page.get_by_role("heading", name="What arrived")).to_be_visible(timeout=60_000)
        findings = page.get_by_role("tab", name="findings")
        expect(findings).to_have_attribute("aria-selected", "true")
        findings.focus()
        page.keyboard.press("ArrowRight")
        chosen = page.get_by_role("tab", selected=True)
        expect(chosen).to_be_focused()
        expect(chosen).not_to_have_text("findings")
        page.wait_for_url("**/inventory?*tab=along*")
        expect(page.get_by_role("tabpanel")).to_have_attribute(
            "id", chosen.get_attribute("aria-controls") or "nobody"
        )
