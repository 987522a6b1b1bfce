"""Images that nobody reads, in a real browser: a bare model gets slots, and every image is used in a press or
two.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from playwright.sync_api import expect

from server.moves.models import DecisionRow
from tests.browser.making import BrowserTest
from tests.making import cube, image, scene
from trasloco.formats.gltf_write import write_glb


def bare() -> bytes:
    """Two parts that wear nothing."""
    made = scene(cube(0.5), cube(0.4), names=("Bellows", "Lantern"))
    meshes = {
        id: replace(mesh, primitives=tuple(replace(p, material=None) for p in mesh.primitives))
        for id, mesh in made.meshes.items()
    }
    return write_glb(replace(made, materials={}, meshes=meshes))


def colour(red: int) -> bytes:
    return image("x", np.full((8, 8, 3), (red, 80, 40), np.uint8)).data


class BareModel(BrowserTest):
    def test_slots_at_once_and_every_image_in_a_press_or_two(self) -> None:
        page = self.page
        self.open("/")
        files = {
            "bare.glb": bare(),
            "bellows_tex.png": colour(150),
            "scan_0041.png": colour(60),
            "curtain_basecolor.png": colour(200),
            "curtain_emission.png": colour(20),
        }
        page.get_by_test_id("files").set_input_files(
            [{"name": n, "mimeType": "application/octet-stream", "buffer": d} for n, d in files.items()]
        )
        page.get_by_role("button", name="Begin the move").click()
        expect(page.get_by_role("heading", name="What arrived")).to_be_visible()
        self.stop("Fit").click()
        expect(page.get_by_text("2 parts wear no material")).to_be_visible()
        page.get_by_role("button", name="A slot for each").click()
        page.get_by_role("button", name="images wait").click()
        named = page.get_by_role("region", name="bellows for Bellows")
        expect(named.get_by_text("its name says nothing else").first).to_be_visible()
        named.get_by_role("button", name="Fill it").click()
        expect(named).to_have_count(0)
        page.get_by_label("curtain is for").select_option(label="Lantern")
        chosen = page.get_by_role("region", name="curtain for Lantern")
        chosen.get_by_role("button", name="Fill all 2").click()
        expect(chosen).to_have_count(0)
        unsure = page.get_by_role("region", name="Not sure")
        unsure.get_by_role("combobox").nth(0).select_option(label="Bellows")
        unsure.get_by_role("combobox").nth(1).select_option(label="Emission")
        unsure.get_by_role("button", name="Use scan_0041.png").click()
        expect(unsure).to_have_count(0)
        expect(page.get_by_text("None: every image of the delivery is read by a material.")).to_be_visible()
        used = {(row.target, row.value["image"]) for row in DecisionRow.objects.filter(field="image")}
        self.assertEqual(len(used), 4)

    def test_the_desk_fetches_no_view(self) -> None:
        fetched: list[int] = []
        self.page.on(
            "response",
            lambda answer: fetched.append(len(answer.body())) if answer.url.endswith(".js") else None,
        )
        self.open("/")
        expect(self.page.get_by_role("heading", name="Moves")).to_be_visible()
        self.assertLess(sum(fetched), 600_000)
