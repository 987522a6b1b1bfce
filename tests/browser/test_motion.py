"""A wrong mend shows when it is looked for again, a place is shown as it was decided, and a clip is proved
frame by frame: on the screens.
"""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.making import BrowserTest
from tests.core.test_sequence import winch
from trasloco.formats.gltf_write import write_glb
from trasloco.mends.faces import with_normals
from trasloco.scene.model import Scene


class Motion(BrowserTest):
    def received(self, scene: Scene) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "winch.glb"
            path.write_bytes(write_glb(scene))
            self.drop([str(path)], "plain", "lanterna")

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
