"""Variants of materials on their way: chosen, delivered as each format has them, and read by libraries that are not
ours.
"""

from __future__ import annotations

import json
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

from pxr import Usd, UsdShade

from tests.core.test_arrival import judged
from tests.core.test_flat_layouts import unaccounted
from tests.making import cube, material, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.formats.glb import unpack_glb
from trasloco.scene.model import Decision, Scene
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

SHEETS = built_in_sheets()
PLAIN, PLANCIA = SHEETS["plain"], SHEETS["plancia"]
POCKET = changed(SHEETS["taccuino"], {"structure.variants": True})
ASSEMBLER = changed(SHEETS["fornace"], {"structure.variants": True})


def wagon() -> Scene:
    """A body that is lacquered new, worn or bare, two wheels that share a mesh and wear iron or rust, and a lamp
    that is always brass.
    """
    made = tuple(
        material(name, base_color=(k / 8, 0.4, 0.3))
        for k, name in enumerate(("New", "Worn", "Bare", "Iron", "Rust", "Brass"))
    )
    given = scene(
        cube(1.0, "material:New"),
        cube(0.2, "material:Iron"),
        cube(0.1, "material:Brass"),
        materials=made,
        names=("Body", "Wheel", "Lamp"),
    )
    varied = {
        "mesh:Body": {"worn out": "material:Worn", "bare": "material:Bare"},
        "mesh:Wheel": {"worn out": "material:Rust"},
    }
    meshes = {
        id: replace(mesh, primitives=tuple(replace(p, variants=varied.get(id, {})) for p in mesh.primitives))
        for id, mesh in given.meshes.items()
    }
    wheel = given.nodes["part:Wheel"]
    other = replace(wheel, id="part:Wheel 2", name="Wheel 2")
    nodes = {**given.nodes, other.id: other}
    return replace(given, nodes=nodes, meshes=meshes, variants=("as delivered", "worn out", "bare"))


def package(sheet: object, decisions: tuple[Decision, ...] = ()) -> dict[str, bytes]:
    reference = move.mend(wagon(), PLAIN, decisions, sheet)
    carried = move.carry(reference, move.plan(reference, PLAIN, sheet, decisions), sheet)  # type: ignore[arg-type]
    return move.package(carried, sheet).files  # type: ignore[arg-type]


def worn_by_name(arrival: Scene) -> dict[str, dict[str, str]]:
    """Names of materials by variant and part; what is worn now stands under an empty name."""
    found: dict[str, dict[str, str]] = {}
    for node in arrival.parts():
        (p,) = arrival.meshes[node.mesh or ""].primitives
        found[node.name] = {
            name: arrival.materials[id].name for name, id in {"": p.material or "", **p.variants}.items()
        }
    return found


class Travelling(TestCase):
    def test_every_variant_arrives_by_its_name(self) -> None:
        for sheet in (PLANCIA, POCKET, ASSEMBLER, changed(PLANCIA, {"package.form": "usdz"})):
            with self.subTest(f"{sheet.name}, {sheet.package.form}"):
                self.assertEqual(unaccounted(wagon(), sheet), [])
                reference = move.mend(wagon(), PLAIN, (), sheet)
                carried = move.carry(reference, move.plan(reference, PLAIN, sheet), sheet)
                arrival = move.arrive(move.package(carried, sheet), sheet)
                told = worn_by_name(arrival)
                self.assertEqual(told["Body"], {"": "New", "worn out": "Worn", "bare": "Bare"})
                self.assertEqual(told["Wheel"], {"": "Iron", "worn out": "Rust"})
                self.assertEqual(
                    told["Wheel"], told[next(n for n in told if n.startswith("Wheel") and n != "Wheel")]
                )
                self.assertEqual(told["Lamp"], {"": "Brass"})
                self.assertEqual(set(arrival.variants), {"as delivered", "worn out", "bare"})

    def test_a_sheet_that_takes_one_says_so(self) -> None:
        reference = move.mend(wagon(), PLAIN)
        plan = move.plan(reference, PLAIN, SHEETS["taccuino"])
        marks = {p.item: p.mark for p in plan.passages if p.aspect == "variants"}
        self.assertEqual(marks, {"mesh:Body": "lost", "mesh:Wheel": "lost"})
        self.assertEqual(unaccounted(wagon(), SHEETS["taccuino"]), [])

    def test_the_chosen_one_is_worn_and_the_others_stay_what_they_were(self) -> None:
        chosen = (Decision("scene", "variant", "worn out"),)
        for sheet in (PLANCIA, POCKET):
            reference = move.mend(wagon(), PLAIN, chosen, sheet)
            carried = move.carry(reference, move.plan(reference, PLAIN, sheet, chosen), sheet)
            told = worn_by_name(move.arrive(move.package(carried, sheet), sheet))
            self.assertEqual(told["Body"], {"": "Worn", "as delivered": "New", "bare": "Bare"})
            self.assertEqual(told["Wheel"], {"": "Rust", "as delivered": "Iron", "bare": "Iron"})

    def test_formats_without_them_say_so(self) -> None:
        for name in ("sipario", "tela", "scatola"):
            with self.subTest(name), self.assertRaises(Refused) as caught:
                changed(SHEETS[name], {"structure.variants": True})
            self.assertEqual(caught.exception.where, "structure.variants")


class ByOthers(TestCase):
    def test_the_validator_finds_the_extension_sound(self) -> None:
        (data,) = (data for path, data in package(POCKET).items() if path.endswith(".glb"))
        issues = judged(data)
        self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"])
        document, _ = unpack_glb(data, "wagon.glb")
        held = document["extensions"]["KHR_materials_variants"]["variants"]
        self.assertEqual([one["name"] for one in held], ["as delivered", "worn out", "bare"])
        names = [one["name"] for one in document["materials"]]
        (body,) = (mesh for mesh in document["meshes"] if mesh["name"] == "Body")
        (slot,) = body["primitives"]
        self.assertEqual(names[slot["material"]], "New")
        mapped = slot["extensions"]["KHR_materials_variants"]["mappings"]
        self.assertEqual({names[m["material"]]: m["variants"] for m in mapped}, {"Worn": [1], "Bare": [2]})

    def test_the_usd_library_binds_what_each_variant_says(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for path, data in package(PLANCIA).items():
                place = Path(folder) / path
                place.parent.mkdir(parents=True, exist_ok=True)
                place.write_bytes(data)
            (root,) = Path(folder).glob("*.usda")
            stage = Usd.Stage.Open(str(root))
            held = stage.GetDefaultPrim().GetVariantSets().GetVariantSet("looks")
            self.assertEqual(
                json.loads(stage.GetDefaultPrim().GetCustomDataByKey("trasloco:variants")),
                dict(zip(("as_delivered", "worn_out", "bare"), wagon().variants, strict=True)),
            )
            found = {}
            for token in held.GetVariantNames():
                held.SetVariantSelection(token)
                meshes = [
                    p
                    for p in Usd.PrimRange(stage.GetDefaultPrim(), Usd.TraverseInstanceProxies())
                    if p.GetTypeName() == "Mesh"
                ]
                bound = [
                    UsdShade.MaterialBindingAPI(p).ComputeBoundMaterial()[0].GetPrim().GetName()
                    for p in meshes
                ]
                found[token] = sorted(bound)
            self.assertEqual(
                found,
                {
                    "as_delivered": ["Brass", "Iron", "Iron", "New"],
                    "worn_out": ["Brass", "Rust", "Rust", "Worn"],
                    "bare": ["Bare", "Brass", "Iron", "Iron"],
                },
            )
