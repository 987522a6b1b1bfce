"""The lenses of UVs: a layout told by what is known of it, and the density of texels by its shade."""

from __future__ import annotations

import io
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import expect

from tests.browser.making import BrowserTest
from tests.making import image, material, quad, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.model import Input, Texture
from trasloco.scene.transforms import compose

FEW, MANY = np.array((0.96, 0.95, 0.93)), np.array((0.30, 0.09, 0.13))
"""Shades of 32 and of 8,192 texels a metre."""


class Lenses(BrowserTest):
    def opened(self, size_m: float, texels: int) -> None:
        """Two squares of a size over each other on the UVs, upright beside each other, with an image."""
        cloth = material(
            "cloth",
            base_color=Input((1.0, 1.0, 1.0), Texture("image:weave", "rgb", "srgb")),
            roughness=(1.0,),
        )
        weave = image("weave", np.full((texels, texels, 3), 128, np.uint8))
        flat = quad(size_m, "material:cloth")
        upright = replace(flat, positions=flat.positions[:, [0, 2, 1]] * np.float32([1, -1, 1]))
        given = scene(upright, upright, materials=(cloth,), images=(weave,), names=("One", "Two"))
        nodes = {
            node.id: replace(node, matrix=compose((k * size_m * 1.01, 0.0, 0.0)))
            for k, node in enumerate(given.nodes.values())
        }
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "cloth.glb"
            path.write_bytes(write_glb(replace(given, nodes=nodes)))
            self.drop([str(path)], "plain", "lanterna")
        self.here = self.page.url.split("?")[0]

    def test_a_layout_is_told(self) -> None:
        self.opened(2.0, 64)
        self.page.goto(f"{self.here}?lens=layout&tab=parts")
        told = "4 triangles in 2 islands · 100 % of the image covered · 100 % of that twice or more · 0 %"
        expect(self.page.get_by_text(told)).to_be_visible()
        self.page.get_by_role("row").filter(has_text="Two").click()
        one = "2 triangles in 1 island · 100 % of the image covered · 0 % of that twice or more · 0 %"
        expect(self.page.get_by_text(one)).to_be_visible()

    def test_density_has_its_shade(self) -> None:
        self.opened(2.0, 1024)  # 512 texels a metre: half way between the ends of the scale, in doublings
        self.page.goto(f"{self.here}?lens=density&rod=off")
        expect(self.page.get_by_text("a line at every doubling")).to_be_visible()
        canvas = self.page.get_by_label("View", exact=True).locator("canvas")
        share = (np.log2(512) - 5) / (13 - 5)
        wanted = FEW + (MANY - FEW) * share
        wanted /= wanted.sum()
        for _ in range(40):
            self.page.wait_for_timeout(250)
            with Pillow.open(io.BytesIO(canvas.screenshot())) as held:
                texels = np.asarray(held.convert("RGB")).astype(float)
            middle = texels[texels.shape[0] // 2, texels.shape[1] // 2 - 60]
            if middle.sum() and np.abs(middle / middle.sum() - wanted).max() < 0.01:
                break
        np.testing.assert_allclose(middle / middle.sum(), wanted, atol=0.01)
