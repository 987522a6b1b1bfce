"""A wrong mend shows when it is looked for again, a place is shown as it was decided, and a clip is proved
frame by frame: on the screens.
"""

from __future__ import annotations

import io
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import expect

from server.moves.bench import Bench
from server.moves.models import Move
from tests.browser.making import BrowserTest
from tests.core.test_sequence import winch
from tests.winch import moving_winch
from trasloco.formats.gltf_write import write_glb
from trasloco.mends.faces import with_normals
from trasloco.scene.model import Scene


class Motion(BrowserTest):
    def received(self, scene: Scene) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "winch.glb"
            path.write_bytes(write_glb(scene))
            self.drop([str(path)], "plain", "lanterna")

    def red(self) -> tuple[float, float]:
        """Rows, from the top, at which the red load stands in the left and in the right half of the view."""
        canvas = self.page.get_by_label("View", exact=True).locator("canvas")
        with Pillow.open(io.BytesIO(canvas.screenshot())) as held:
            texels = np.asarray(held.convert("RGB")).astype(int)
        load = (texels[..., 0] > 50) & (texels[..., 0] > 2 * texels[..., 1])
        middle = load.shape[1] // 2
        left, right = (np.nonzero(half)[0] for half in (load[:, :middle], load[:, middle:]))
        return (left.mean(), right.mean()) if len(left) and len(right) else (-1.0, -1.0)

    def test_a_clip_is_played_on_both_sides_and_a_moment_kept(self) -> None:
        self.received(moving_winch())
        page = self.page
        page.goto(f"{page.url.split('?')[0]}?lens=lit&against=arrival&sharing=beside&rod=off")
        page.get_by_role("button", name="Motion", exact=True).click()
        frame = page.get_by_role("slider", name="Frame")
        expect(frame).to_be_visible(timeout=120_000)
        expect(page.get_by_text("0 of 48")).to_be_visible()
        for _ in range(200):
            page.wait_for_timeout(200)
            if (low := self.red())[0] > 0:
                break
        self.assertAlmostEqual(low[0], low[1], delta=2)
        frame.press("End")
        expect(page.get_by_text("48 of 48 · 2.00 s")).to_be_visible()
        page.wait_for_timeout(1500)
        high = self.red()
        self.assertLess(high[0], low[0] - 50)
        self.assertAlmostEqual(high[0], high[1], delta=2)
        page.get_by_label("Looked at").select_option("through Dolly")
        frame.press("ArrowLeft")
        page.wait_for_timeout(500)
        page.get_by_role("button", name="Keep this moment").click()
        expect(page.get_by_text("Hoist, frame 47 kept")).to_be_visible()
        kept = Bench(Move.objects.latest("id")).decisions[-1].value[-1]
        self.assertEqual(kept["clip"], "clip:Hoist")
        self.assertAlmostEqual(kept["time_s"], 47 / 24, 6)
        # Through the camera that goes from x = 0 to 2 m in two seconds, at 1.5 m and 9 m before the load.
        np.testing.assert_allclose(
            np.array(kept["matrix"]).reshape(4, 4)[:3, 3], (47 / 24, 1.5, 9), atol=1e-4
        )
        page.get_by_role("button", name="Freeze here").click()
        expect(page.get_by_role("region", name="Motion")).to_have_count(0)
        frozen = Bench(Move.objects.latest("id")).reference()
        load = next(n for n in frozen.nodes.values() if n.name == "Load")
        np.testing.assert_allclose(load.matrix[:3, 3], (0, 0.5 + 3 * 47 / 48, 0), atol=1e-5)

    def test_a_wrong_mend_and_a_clip(self) -> None:
        given = winch()
        whole = {
            id: replace(mesh, primitives=tuple(with_normals(p, 0.5) for p in mesh.primitives))
            for id, mesh in given.meshes.items()
        }
        self.received(replace(given, meshes=whole, environment=None, images={}))
        page = self.page
        page.get_by_role("tab", name="parts").click()
        page.get_by_role("treegrid", name="parts").get_by_role("row", name="Load").click()
        page.get_by_role("button", name="Turn faces").click()
        page.get_by_role("button", name="More tools").click()
        page.get_by_label("Move y").fill("0.25")
        page.get_by_role("button", name="Place", exact=True).click()
        page.reload()
        page.get_by_role("treegrid", name="parts").get_by_role("row", name="Load").click()
        page.get_by_role("button", name="More tools").click()
        expect(page.get_by_label("Move y")).to_have_value("0.25")

        page.evaluate(
            "localStorage.setItem('trasloco proof wish', JSON.stringify({quality: 'quick', size: '320'}))"
        )
        self.stop("Proof").click()
        page.get_by_role("button", name="Prove in a stand-in light").click()
        expect(page.get_by_test_id("mean")).to_be_visible(timeout=120_000)
        page.get_by_role("tab", name="Motion").click()
        page.get_by_label("Frames a second").select_option("2")
        page.get_by_role("button", name="Prove frame by frame").click()
        expect(page.get_by_text("Save 5 frames as PNG")).to_be_visible(timeout=120_000)
        page.get_by_role("slider", name="Frame").press("ArrowRight")
        expect(page.get_by_text("frame 2, 0.50 s")).to_be_visible()
        expect(page.get_by_text("Hoist at 0.50 s")).to_be_visible()
        with page.expect_download() as download:
            page.get_by_role("link", name="Save 5 frames as PNG").click()
        self.assertEqual(download.value.suggested_filename, "hoist-frames.zip")
