"""Layouts in their other open forms: valid by outside judges, read back as what the usual form is read back
as.
"""

from __future__ import annotations

import json
import subprocess
from unittest import TestCase

import trimesh
from pxr import Usd

from tests.carried import delivered, on_disk, unaccounted
from tests.core.test_arrival import FORNACE, LANTERNA, TACCUINO, WEB, rich
from tests.everything import everything
from trasloco.sheets.layouts import LAYOUTS, fault_of_layout
from trasloco.sheets.model import PackageRules, Sheet

JUDGE = (
    "const v=require('gltf-validator'),f=require('fs'),p=require('path');const a=process.argv[1];"
    "v.validateBytes(new Uint8Array(f.readFileSync(a)),{maxIssues:50,uri:p.basename(a),"
    "externalResourceFunction:u=>Promise.resolve(new Uint8Array(f.readFileSync(p.join(p.dirname(a),u))))})"
    ".then(r=>console.log(JSON.stringify(r.issues)))"
)


def written_as(sheet: Sheet, form: str) -> Sheet:
    return sheet.model_copy(update={"package": PackageRules(form=form)})  # type: ignore[arg-type]


def judged(files: dict[str, bytes]) -> dict[str, object]:
    """What the official validator says of a .gltf with its files beside it."""
    with on_disk(files) as folder:
        (main,) = folder.glob("*.gltf")
        told = subprocess.run(
            ["node", "-e", JUDGE, str(main)], cwd=WEB, capture_output=True, text=True, check=True
        )
    found: dict[str, object] = json.loads(told.stdout)
    return found


class Forms(TestCase):
    def test_nothing_is_unaccounted_in_any_form(self) -> None:
        for sheet in (LANTERNA, TACCUINO, FORNACE):
            for form in LAYOUTS[sheet.layout or ""].forms:
                for number in range(4):
                    with self.subTest(f"{sheet.name} as {form}, {number}"):
                        given = everything(f"books {number}")
                        self.assertEqual(unaccounted(given, written_as(sheet, form)), [])

    def test_text_with_files_beside_it_passes_the_official_validator(self) -> None:
        for sheet in (LANTERNA, TACCUINO):
            for form in ("gltf", "gltf embedded"):
                with self.subTest(f"{sheet.name} as {form}"):
                    files = delivered(rich(), written_as(sheet, form)).files
                    self.assertEqual(sum(path.endswith(".glb") for path in files), 0)
                    issues = judged(files)
                    self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"])

    def test_another_library_reads_the_loose_files(self) -> None:
        files = delivered(rich(), written_as(TACCUINO, "gltf")).files
        self.assertTrue(any(path.endswith(".bin") for path in files))
        self.assertTrue(any(path.endswith(".png") for path in files))
        with on_disk(files) as folder:
            (main,) = folder.glob("*.gltf")
            held = trimesh.load(main, force="scene")
        self.assertEqual(sum(len(one.faces) for one in held.geometry.values()), 10)

    def test_what_is_written_in_carries_all_in_one_file(self) -> None:
        for sheet in (TACCUINO, LANTERNA):
            files = delivered(rich(), written_as(sheet, "gltf embedded")).files
            document = json.loads(next(data for path, data in files.items() if path.endswith(".gltf")))
            told = [one["uri"] for one in (*document["buffers"], *document.get("images", []))]
            self.assertTrue(told and all(uri.startswith("data:") for uri in told))

    def test_a_layer_as_text_is_the_same_layer(self) -> None:
        files = delivered(rich(), written_as(FORNACE, "usda")).files
        text = next(data for path, data in files.items() if path.endswith(".usda"))
        self.assertTrue(text.startswith(b"#usda 1.0"))
        with on_disk({"a.usda": text, "b.usdc": self.binary()}) as folder:
            stages = []
            for name in ("a.usda", "b.usdc"):
                stage = Usd.Stage.Open(str(folder / name))
                stages.append({str(prim.GetPath()) for prim in stage.Traverse()})
        self.assertEqual(*stages)

    def binary(self) -> bytes:
        files = delivered(rich(), FORNACE).files
        return next(data for path, data in files.items() if path.endswith(".usdc"))

    def test_a_form_of_another_layout_is_refused_in_words(self) -> None:
        fault = fault_of_layout(written_as(FORNACE, "glb"))
        assert fault is not None
        self.assertEqual(fault[0], "package.form")
        self.assertIn("usdc or usda", fault[1])
        self.assertIsNone(fault_of_layout(written_as(TACCUINO, "gltf")))
