"""One's own picture beside the proof: its camera found, held against both sides, its light taken over, points
pressed on it and on the model, and the picture held over the view.
"""

from __future__ import annotations

import io
from unittest import mock

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import Locator, expect

from server.moves.bench import Bench
from server.moves.models import DecisionRow, Move, OwnPicture
from tests.browser.making import BrowserTest
from tests.outside import VIEW, counter
from trasloco.formats.gltf_write import write_glb
from trasloco.outside.showing import Shown, displayed_by
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.scene.color import linear_to_srgb

WIDE, HIGH = 480, 270
PLACES = (
    (0.3, 0.62),
    (0.44, 0.5),
    (0.56, 0.63),
    (0.7, 0.52),
    (0.36, 0.8),
    (0.62, 0.82),
    (0.5, 0.74),
    (0.25, 0.75),
)


class OwnPictures(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        page = self.page
        self.open("/")
        page.get_by_test_id("files").set_input_files(
            [{"name": "counter.glb", "mimeType": "model/gltf-binary", "buffer": write_glb(counter(2))}]
        )
        page.get_by_role("button", name="Begin the move").click()
        expect(page.get_by_role("heading", name="What arrived")).to_be_visible(timeout=60_000)
        self.move = Move.objects.get()
        light = render(flatten(Bench(self.move).reference()), VIEW, Quality(WIDE, HIGH, 16, 2)).radiance
        shown = displayed_by(light, Shown("filmic", -float(np.log2(4 * light.mean()))))
        out = io.BytesIO()
        Pillow.fromarray(np.round(linear_to_srgb(shown) * 255).astype(np.uint8)).save(out, "PNG")
        self.open(f"/moves/{self.move.id}/proof")
        page.get_by_role("button", name="Own pictures").click()
        expect(page.get_by_role("heading", name="No picture of your own yet")).to_be_visible()
        page.get_by_test_id("own-picture").set_input_files(
            [{"name": "mine.png", "mimeType": "image/png", "buffer": out.getvalue()}]
        )
        expect(page.get_by_role("button", name="Find its camera and hold it")).to_be_visible()

    def press(self, on: Locator, u: float, v: float) -> None:
        """A place of the picture, on it or where the view holds it whole."""
        box = on.bounding_box()
        assert box is not None
        wide = min(box["width"], box["height"] * WIDE / HIGH)
        high = wide * HIGH / WIDE
        x, y = (box["width"] - wide) / 2 + u * wide, (box["height"] - high) / 2 + v * high
        self.page.mouse.click(box["x"] + x, box["y"] + y)

    def test_a_picture_is_pressed_held_and_its_light_taken_over(self) -> None:
        page = self.page
        row = OwnPicture.objects.get()
        camera = {
            "matrix": VIEW.matrix.ravel().tolist(),
            "yfov_rad": VIEW.yfov_rad,
            "shift": [0, 0],
            "bend": 0,
        }
        row.stands = {**camera, "rms_px": 0, "off_px": [], "doubtful": [], "unsure_m": 0}
        row.save()

        self.open(f"/moves/{self.move.id}/inventory")
        expect(page.locator("canvas")).to_be_visible(timeout=60_000)
        page.wait_for_timeout(1500)
        page.get_by_label("held over it").select_option(label="mine.png")
        expect(page.get_by_alt_text("mine.png, held over the view")).to_be_visible()

        self.open(f"/moves/{self.move.id}/proof?page=own")
        page.get_by_role("button", name="Press points instead").click()
        points = page.get_by_role("region", name="Points")
        expect(points.get_by_role("status")).to_have_text("0 of 6 points")
        canvas = page.locator("canvas")
        expect(canvas).to_be_visible(timeout=60_000)
        page.get_by_role("button", name="Stand where it was taken").click(timeout=60_000)
        page.wait_for_timeout(1500)
        sheet = page.get_by_role("application")
        for number, (u, v) in enumerate(PLACES):
            self.press(sheet, u, v)
            expect(points.get_by_role("status")).to_have_text(f"{number + 1}: now press it on the model")
            asked = points.get_by_text("now press it on the model")
            for _ in range(30):  # the model comes when it is drawn
                self.press(canvas, u, v)
                page.wait_for_timeout(800)
                if not asked.count():
                    break
            expect(asked).to_have_count(0)
            expect(points.get_by_role("listitem")).to_have_count(number + 1)
        points.get_by_role("button", name="Find the camera").click()
        expect(points.get_by_text("px off").first).to_be_visible()
        row.refresh_from_db()
        self.assertLess(row.camera["rms_px"], 2)
        np.testing.assert_allclose(
            np.reshape(row.camera["matrix"], (4, 4))[:3, 3], VIEW.matrix[:3, 3], atol=0.15
        )
        points.get_by_role("button", name="Close").click()

        with (
            mock.patch("trasloco.results.own_pictures.QUALITY", Quality(240, 135, 8, 2)),
            mock.patch("trasloco.results.light_matching.QUALITY", Quality(240, 135, 24, 2)),
        ):
            page.get_by_role("button", name="Find its camera and hold it").click()
            against = page.get_by_role("group", name="Held against")
            expect(against).to_be_visible(timeout=120_000)
            against.get_by_role("button", name="arrival").click()
            picture = page.get_by_alt_text("mine", exact=True)
            box = picture.bounding_box()
            assert box is not None
            page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
            read = page.get_by_role("table", name="Pixel on all three")
            for side in ("mine", "reference", "arrival"):
                expect(read.get_by_role("row", name=side)).to_be_visible()
            page.get_by_role("button", name="Match the light").click()
            lamps = page.get_by_role("table", name="Lamps")
            expect(lamps.get_by_role("rowheader", name="Lamp")).to_be_visible(timeout=120_000)
        page.get_by_role("button", name="Take over what is sure").click()
        expect(page.get_by_text("Taken over.")).to_be_visible()
        self.assertIn("ev100", set(DecisionRow.objects.values_list("field", flat=True)))
        page.get_by_role("button", name="Keep its camera for proofs").click()
        expect(page.get_by_role("button", name="Its camera is kept for proofs")).to_be_visible()
        page.get_by_role("button", name="remove mine.png").click()
        expect(page.get_by_role("heading", name="No picture of your own yet")).to_be_visible()
