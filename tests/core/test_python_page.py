"""What the page for Python says runs as it stands, and comes to what the route comes to."""

from __future__ import annotations

import contextlib
import io
import re
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

from PIL import Image as Pillow

from tests.making import cube, material, scene
from trasloco.formats.bundle import gather
from trasloco.formats.gltf_write import write_glb
from trasloco.results.in_memory import route_of
from trasloco.scene.lit import Light
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named

PAGE = Path(__file__).resolve().parents[2] / "docs" / "python.md"


class PythonPage(TestCase):
    def test_its_lines_run_and_give_what_the_route_gives(self) -> None:
        (code,) = re.findall(r"```python\n(.*?)```", PAGE.read_text("utf-8"), re.DOTALL)
        sun = (Light("light:sun", "Sun", "sun", intensity=20.0), looking((1, 2, 3), (0, 0, 0)))
        lacquer = material("Lacquer", base_color=(0.3, 0.05, 0.05), roughness=(0.6,), clearcoat=(0.5,))
        given = scene(cube(material="material:Lacquer"), materials=(lacquer,), lights=(sun,))
        with tempfile.TemporaryDirectory() as folder, contextlib.chdir(folder):
            Path("trunk.glb").write_bytes(write_glb(given))
            held: dict[str, Any] = {}
            told = io.StringIO()
            with contextlib.redirect_stdout(told):
                exec(compile(code, str(PAGE), "exec"), held)
            route = route_of(
                gather([Path("trunk.glb")]), sheet_named("plain"), sheet_named("taccuino"), held["decisions"]
            )
            self.assertEqual(held["package"].files, route.package().files)
            self.assertEqual(
                held["reference"].materials["material:Lacquer"].inputs["roughness"].factor, (0.3,)
            )
            self.assertIn("material:Lacquer/clearcoat lost", told.getvalue())
            with Pillow.open("reference.png") as picture:
                self.assertEqual((picture.format, picture.size), ("PNG", (320, 180)))
        self.assertLessEqual(len([line for line in code.splitlines() if line.strip()]), 32)
