"""Many moves at one press from the desk; handovers compared; a package that comes back changed, taken over."""

from __future__ import annotations

import json

from playwright.sync_api import expect

from server.moves.models import DecisionRow, Handover, Move
from server.moves.store import get_blob
from tests.browser.making import BrowserTest
from tests.making import cube, material, scene
from trasloco.formats.gltf_write import write_glb


def piece(roughness: float) -> bytes:
    wax = material("wax", roughness=(roughness,))
    return write_glb(scene(cube(0.4, wax.id), materials=(wax,), names=("Candle",)))


class ThereAndBack(BrowserTest):
    def begun(self, name: str, roughness: float) -> None:
        page = self.page
        self.open("/")
        page.get_by_test_id("files").set_input_files(
            [{"name": f"{name}.glb", "mimeType": "model/gltf-binary", "buffer": piece(roughness)}]
        )
        page.get_by_role("button", name="Begin the move").click()
        expect(page.get_by_role("heading", name="What arrived")).to_be_visible()

    def test_chosen_moves_are_carried_and_what_comes_back_is_taken_over(self) -> None:
        page = self.page
        for name, roughness in (("candle", 0.4), ("stub", 0.6)):
            self.begun(name, roughness)
        self.open("/")
        bar = page.get_by_role("region", name="Chosen moves")
        expect(bar).to_have_count(0)
        page.get_by_label("Choose candle").check()
        page.get_by_label("Choose stub").check()
        bar.get_by_label("with a proof").uncheck()
        bar.get_by_role("button", name="Carry all 2").click()
        for name in ("candle", "stub"):
            row = page.get_by_role("listitem").filter(has_text=name)
            expect(row.get_by_text("1 delivered")).to_be_visible(timeout=60_000)
        self.assertEqual(Handover.objects.count(), 2)

        move = Move.objects.get(name="candle")
        self.open(f"/moves/{move.id}/handover")
        page.get_by_role("tab", name="On disk").click()
        expect(page.get_by_role("list", name="Files").get_by_text("materials.json")).to_be_visible()
        page.get_by_role("link", name="Make it smaller").click()
        expect(page.get_by_role("heading", name="Under a budget")).to_be_visible()
        page.go_back()
        page.get_by_role("tab", name="How to import").click()
        expect(page.get_by_role("list", name="How to import")).to_contain_text("candle.glb")
        told = json.loads(get_blob(move.handovers.get().files["materials.json"]["blob"]))
        told["materials"][0]["values"]["roughness"] = 0.25
        page.get_by_role("tab", name="Came back").click()
        page.get_by_label("A package that came back").set_input_files(
            [{"name": "materials.json", "mimeType": "application/json", "buffer": json.dumps(told).encode()}]
        )
        found = page.get_by_role("region", name="What came back")
        expect(found.get_by_text("0.4")).to_be_visible(timeout=60_000)
        found.get_by_role("button", name="Take 1 over").click()
        expect(found.get_by_text("Something was decided since")).to_be_visible()
        row = DecisionRow.objects.get(move=move)
        self.assertEqual((row.field, row.value), ("factor", [0.25]))

        page.get_by_role("button", name="Deliver number 2").click()
        page.get_by_role("button", name="What changed").first.click(timeout=60_000)
        changes = page.get_by_role("table", name="Things that changed")
        expect(changes.get_by_role("row", name="wax")).to_contain_text("roughness")
