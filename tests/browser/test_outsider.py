"""A program that is not ours imports a package, misreads it in one way, and one picture of it says which: the
browser's 3-D library with its own importer, shading, environment and tone curve.
"""

from __future__ import annotations

import io
import json
from collections.abc import Mapping
from pathlib import Path
from unittest import TestCase, mock
from urllib.parse import quote

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import Page, sync_playwright

from tests.chromium import launched, served
from tests.outside import VIEW, counter
from trasloco import move
from trasloco.gauge.boards import boards
from trasloco.gauge.expected import SAMPLES, expected
from trasloco.gauge.packing import packed
from trasloco.gauge.reading import read
from trasloco.outside.bends import BY_KEY
from trasloco.outside.diagnosis import diagnose
from trasloco.outside.registering import Floats
from trasloco.proof.proving import in_same_surroundings
from trasloco.render.picture import Quality
from trasloco.scene.color import srgb_to_linear
from trasloco.sheets.library import sheet_named

HERE = Path(__file__).resolve().parent
FAULTS = ("green", "no tint", "upside down")
TRIED = (*FAULTS, "no normals", "colour as numbers", "gloss", "lamps pi", "turned 270")


def drawn(page: Page, asked: dict[str, object]) -> Floats:
    """Display light (H, W, 3) of what it draws of its files."""
    page.goto("about:blank")
    page.goto(f"http://outsider.test/#{quote(json.dumps(asked))}")
    page.wait_for_function("document.title === 'drawn'", timeout=120_000)
    with Pillow.open(io.BytesIO(page.screenshot())) as held:
        return srgb_to_linear(np.asarray(held.convert("RGB")).astype(np.float32) / 255)


def glb_of(files: Mapping[str, bytes]) -> bytes:
    (glb,) = [data for path, data in files.items() if path.endswith(".glb")]
    return glb


class Outsider(TestCase):
    def pictures(self, package: bytes, sky: bytes) -> dict[str, Floats]:
        """What it shows of a package with each fault, display light."""
        with sync_playwright() as play:
            browser = launched(play)
            page = browser.new_page(viewport={"width": 480, "height": 270})
            html = (HERE / "outsider.html").read_bytes()
            served(page, {"/model.glb": package, "/sky.exr": sky, "/": html})
            view = {"matrix": [float(v) for v in VIEW.matrix.ravel()], "yfov_rad": VIEW.yfov_rad}
            made = {fault: drawn(page, {"fault": fault, "view": view}) for fault in FAULTS}
            browser.close()
        return made

    def boards(self) -> dict[str, Floats]:
        """What it shows of the boards of a gauge, which it imports as they are, display light."""
        made, taccuino = {}, sheet_named("taccuino")
        sky = boards()["around"].scene.images["image:surroundings"].data
        html = (HERE / "gauge.html").read_bytes()
        with sync_playwright() as play:
            browser = launched(play)
            page = browser.new_page(viewport={"width": 1280, "height": 720})
            for key, board in boards().items():
                glb = glb_of(packed(board, taccuino).files)
                served(page, {"/model.glb": glb, "/sky.exr": sky, "/": html})
                made[key] = drawn(page, {"sky": key == "around"})
            browser.close()
        return made

    def test_a_gauge_tells_what_it_is_known_to_do(self) -> None:
        """By its documentation: green up, alpha and sides as glTF says, light in candela and lux, no shadows
        of lamps that are not asked for, surroundings a quarter further round, and a curve of three channels
        mixed.
        """
        with mock.patch.dict(SAMPLES, {"tones": 4, "shine": 4, "lamps": 6, "around": 8}):
            known = {key: expected(packed(board, sheet_named("taccuino"))) for key, board in boards().items()}
        found = read(self.boards(), known)
        told = {line.key: line.value for line in found.lines if line.state == "measured"}
        right = {
            "green": "up",
            "cut": "mask",
            "blended": "blend",
            "sides": "flag",
            "paint": "multiplies",
            "stored": "srgb",
            "lying": "down",
            "roughimage": "linear",
            "channels": "gb",
            "cone": "inner and outer",
            "shadows": False,
            "occlusion": True,
        }
        reads = ("tint", "placed", "secondset", "strength", "size300", "size8192", "lampcolor")
        reads = (*reads, "specular", "index", "speculartint", "coat", "sheen", "transmission")
        right |= dict.fromkeys(reads, True)
        self.assertEqual({key: value for key, value in told.items() if right.get(key, value) != value}, {})
        self.assertLessEqual(len(set(right) - set(told)), 2, set(right) - set(told))
        for kind in ("sun", "point", "spot", "surroundings"):
            self.assertAlmostEqual(found.strengths[kind].value, 1, delta=0.03, msg=kind)
        assert found.surroundings is not None and found.roughness is not None
        self.assertAlmostEqual(found.surroundings.turn_deg, -90, delta=0.5)
        self.assertFalse(found.surroundings.mirrored)
        self.assertAlmostEqual(found.roughness.value, 1, delta=0.12)
        self.assertEqual(found.curve.formula, "")

    def test_each_fault_is_named(self) -> None:
        given, plain, taccuino = counter(2), sheet_named("plain"), sheet_named("taccuino")
        package = move.package(move.carry(given, move.plan(given, plain, taccuino, []), taccuino), taccuino)
        arrival = in_same_surroundings(given, move.arrive(package, taccuino))
        for fault, picture in self.pictures(glb_of(package.files), given.images["image:sky"].data).items():
            with self.subTest(fault):
                found = diagnose(
                    arrival, picture, VIEW, Quality(200, 112, 8, 3), bends=[BY_KEY[key] for key in TRIED]
                )
                self.assertTrue(found.alignment.found)
                self.assertEqual([bend.key for bend in found.explanations[0].bends], [fault])
