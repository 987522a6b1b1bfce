"""A program that is not ours imports a package, misreads it in one way, and one picture of it says which: the
browser's 3-D library with its own importer, shading, environment and tone curve.
"""

from __future__ import annotations

import io
import json
from pathlib import Path
from unittest import TestCase
from urllib.parse import quote, urlsplit

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import Route, sync_playwright

from tests.browser.making import FLAGS
from tests.outside import VIEW, counter
from trasloco import move
from trasloco.outside.bends import BY_KEY
from trasloco.outside.diagnosis import diagnose
from trasloco.outside.registering import Floats
from trasloco.proof.proving import in_same_surroundings
from trasloco.render.picture import Quality
from trasloco.scene.color import srgb_to_linear
from trasloco.sheets.library import sheet_named

HERE = Path(__file__).resolve().parent
THREE = HERE.parents[1] / "web" / "node_modules" / "three"
FAULTS = ("green", "no tint", "upside down")
TRIED = (*FAULTS, "no normals", "colour as numbers", "gloss", "lamps pi", "turned 270")


class Outsider(TestCase):
    def pictures(self, package: bytes, sky: bytes) -> dict[str, Floats]:
        """What it shows of a package with each fault, display light."""
        files = {"/model.glb": package, "/sky.exr": sky, "/": (HERE / "outsider.html").read_bytes()}

        def answer(route: Route) -> None:
            path = urlsplit(route.request.url).path
            if path.startswith("/three/"):
                route.fulfill(
                    body=(THREE / path.removeprefix("/three/")).read_bytes(), content_type="text/javascript"
                )
            elif path in files:
                kind = "text/html" if path == "/" else "application/octet-stream"
                route.fulfill(body=files[path], content_type=kind)
            else:
                route.fulfill(status=404)

        made = {}
        with sync_playwright() as play:
            browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            page = browser.new_page(viewport={"width": 480, "height": 270})
            page.route("**/*", answer)
            view = {"matrix": [float(v) for v in VIEW.matrix.ravel()], "yfov_rad": VIEW.yfov_rad}
            for fault in FAULTS:
                page.goto("about:blank")
                page.goto(f"http://outsider.test/#{quote(json.dumps({'fault': fault, 'view': view}))}")
                page.wait_for_function("document.title === 'drawn'", timeout=60_000)
                with Pillow.open(io.BytesIO(page.screenshot())) as held:
                    made[fault] = srgb_to_linear(np.asarray(held.convert("RGB")).astype(np.float32) / 255)
            browser.close()
        return made

    def test_each_fault_is_named(self) -> None:
        given, plain, taccuino = counter(2), sheet_named("plain"), sheet_named("taccuino")
        package = move.package(move.carry(given, move.plan(given, plain, taccuino, []), taccuino), taccuino)
        arrival = in_same_surroundings(given, move.arrive(package, taccuino))
        (glb,) = [data for path, data in package.files.items() if path.endswith(".glb")]
        for fault, picture in self.pictures(glb, given.images["image:sky"].data).items():
            with self.subTest(fault):
                found = diagnose(
                    arrival, picture, VIEW, Quality(200, 112, 8, 3), bends=[BY_KEY[key] for key in TRIED]
                )
                self.assertTrue(found.alignment.found)
                self.assertEqual([bend.key for bend in found.explanations[0].bends], [fault])
