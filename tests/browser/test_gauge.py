"""The gauge in the browser: boards written and saved, a picture brought back and read, evidence looked at,
and what was measured kept as a sheet that the move goes by.
"""

from __future__ import annotations

import zipfile
from unittest import mock

import numpy as np
from playwright.sync_api import expect

from server.moves.models import Move
from tests.browser.making import BrowserTest
from tests.making import cube, image, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.gauge.boards import boards
from trasloco.gauge.expected import SAMPLES, drawn
from trasloco.scene.color import linear_to_srgb


class Gauge(BrowserTest):
    def test_boards_go_out_a_picture_comes_back_and_becomes_a_sheet(self) -> None:
        page = self.page
        self.open("/")
        page.get_by_test_id("files").set_input_files(
            [{"name": "cube.glb", "mimeType": "model/gltf-binary", "buffer": write_glb(scene(cube()))}]
        )
        page.get_by_role("button", name="Begin the move").click()
        expect(page.get_by_role("heading", name="What arrived")).to_be_visible(timeout=60_000)
        move = Move.objects.get()
        self.open(f"/moves/{move.id}/proof")
        page.get_by_role("button", name="Gauge").click()
        page.get_by_role("button", name="Write the boards").click()
        with page.expect_download() as saved:
            page.get_by_role("link", name="Save the boards").click()
        with zipfile.ZipFile(saved.value.path()) as held:
            self.assertTrue(any(name.startswith("4 around/") for name in held.namelist()))
        expect(page.get_by_role("button", name="Read the pictures")).to_be_disabled()

        light = drawn(boards()["around"].scene, "around", 3, 640, 16).sum(axis=0)
        codes = np.round(linear_to_srgb(np.clip(light, 0, 1)) * 255).astype(np.uint8)
        board = page.get_by_role("listitem", name="Surroundings")
        board.get_by_test_id("board-around").set_input_files(
            [{"name": "back.png", "mimeType": "image/png", "buffer": image("back", codes).data}]
        )
        expect(board.get_by_text("back.png, not read yet")).to_be_visible()
        with mock.patch.dict(SAMPLES, {"around": 8}):
            page.get_by_role("button", name="Read the pictures").click()
            expect(page.get_by_role("heading", name="Numbers")).to_be_visible(timeout=120_000)
        expect(board.get_by_text("15 marks")).to_be_visible()
        expect(board.get_by_text("not read yet")).to_have_count(0)
        row = page.get_by_role("row", name="Surroundings are turned by")
        self.assertAlmostEqual(float(row.get_by_role("cell").first.inner_text().rstrip("°")), 0, delta=1.5)
        line = page.get_by_role("button", name="Occlusion under surroundings")
        line.click()
        picture = page.get_by_role("img", name="Occlusion under surroundings: your picture")
        expect(picture).to_be_visible()
        self.assertGreater(picture.evaluate("(one) => one.naturalWidth"), 100)
        unseen = page.get_by_role("region", name="Not seen")
        expect(unseen).to_contain_text("Green in normal maps")

        page.get_by_label("Keep what was measured").fill("Theirs")
        page.get_by_role("button", name="Keep it, and go by it here").click()
        page.get_by_role("link", name="Theirs", exact=True).click()
        expect(page.get_by_role("heading", name="Theirs")).to_be_visible()
        expect(page.get_by_text("not seen").first).to_be_visible()
        expect(page.get_by_role("region", name="What was measured beside its lines")).to_be_visible()
        move.refresh_from_db()
        self.assertEqual(move.destination, "theirs")
