"""Names of results, the memory that holds them, and mends that run from the first stage that changed."""

import ast
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

import numpy as np

import trasloco
from tests.making import cube, material, quad, scene
from trasloco.decisions import carrying_out
from trasloco.formats.gltf_write import write_glb
from trasloco.results import mending
from trasloco.results.code import Sources
from trasloco.results.memory import Memory
from trasloco.results.name import named
from trasloco.results.route import Route
from trasloco.results.store import MemoryStore
from trasloco.scene.digest import digest
from trasloco.scene.model import Decision
from trasloco.sheets.library import sheet_named

ROOT = Path(trasloco.__file__).parent
GLB = write_glb(scene(quad(), cube(), materials=(material(),), names=("Front", "Trunk")))


def imports(module: str) -> set[str]:
    """Modules of the package that a module imports, by Python's own parser."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(file_of(module).read_bytes())):
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{name.name}" for name in node.names)}
    return {name for name in found if name.startswith("trasloco") and file_of(name).is_file()}


def file_of(module: str) -> Path:
    place = ROOT.joinpath(*module.split(".")[1:])
    return place / "__init__.py" if place.is_dir() else place.with_suffix(".py")


class Code(TestCase):
    def test_what_is_imported_all_the_way_down_counts_and_nothing_else(self) -> None:
        reached, waiting = set(), ["trasloco.mends.settling"]
        while waiting:
            module = waiting.pop()
            if module not in reached:
                reached.add(module)
                waiting += imports(module)
        before = {path: path.read_bytes() for path in ROOT.rglob("*.py")}
        counted = {}
        for path in before:
            name = ".".join(("trasloco", *path.relative_to(ROOT).with_suffix("").parts)).removesuffix(
                ".__init__"
            )
            with mock.patch.object(
                Path,
                "read_bytes",
                lambda self, changed=path: before[self] + (b"#" if self == changed else b""),
            ):
                counted[name] = Sources().digest("trasloco.mends.settling")
        usual = Sources().digest("trasloco.mends.settling")
        self.assertEqual({name for name, found in counted.items() if found != usual}, reached)
        self.assertGreater(len(reached), 5)

    def test_a_module_that_is_none_is_a_mistake(self) -> None:
        with self.assertRaises(ValueError):
            Sources().digest("trasloco.mends.setling")


class Names(TestCase):
    def test_other_inputs_or_other_code_make_another_key(self) -> None:
        first, again, other = (named("a", ("trasloco.scene.color",), value) for value in (1, 1, 2))
        self.assertEqual(first.key, again.key)
        self.assertNotEqual(first.inputs, other.inputs)
        elsewhere = named("a", ("trasloco.scene.geometry",), 1)
        self.assertEqual(elsewhere.inputs, first.inputs)
        self.assertNotEqual(elsewhere.key, first.key)
        self.assertNotEqual(named("b", (), first).key, named("b", (), elsewhere).key)


class Held(TestCase):
    def test_what_several_share_weighs_once_and_the_oldest_leave(self) -> None:
        big, own = np.zeros(1_000_000, np.uint8), np.zeros(500_000, np.uint8)
        memory = Memory(2_600_000)
        memory.put("a", [big])
        memory.put("b", [big, own])
        self.assertAlmostEqual(memory.bytes, 1_500_000, delta=5_000)
        memory.put("c", [np.zeros(1_000_000, np.uint8)])
        self.assertEqual(["a" in memory, "b" in memory, "c" in memory], [True, True, True])
        memory.get("a")
        memory.put("d", [np.zeros(500_000, np.uint8)])
        self.assertEqual(
            ["a" in memory, "b" in memory, "c" in memory, "d" in memory], [True, False, True, True]
        )
        memory.clear()
        self.assertEqual((memory.bytes, len(memory)), (0, 0))

    def test_views_of_an_array_weigh_what_they_keep_alive(self) -> None:
        memory = Memory(10**9)
        memory.put("a", np.zeros((1000, 1000), np.float32)[:1])
        self.assertGreaterEqual(memory.bytes, 4_000_000)


class Walked(TestCase):
    def setUp(self) -> None:
        self.store = MemoryStore()

    def route(self, *made: tuple[str, str, Any]) -> Route:
        return Route(
            {"front.glb": digest(GLB)},
            lambda: {"front.glb": GLB},
            sheet_named("plain"),
            sheet_named("lanterna"),
            [Decision(*one) for one in made],
            self.store,
        )

    def stages(self, *made: tuple[str, str, Any]) -> list[str]:
        """Stages that are carried out to have the reference under some decisions."""
        ran: list[str] = []

        def heard(given: Any, stage: Any, *rest: Any) -> Any:
            ran.append(stage.name)
            return carrying_out.carried_out(given, stage, *rest)

        with mock.patch.object(mending, "carried_out", heard):
            self.route(*made).reference()
        return ran

    def test_only_what_comes_after_the_first_change_runs_again_and_undo_runs_nothing(self) -> None:
        turned, welded, named_ = (
            ("part:Trunk", "turn_faces", True),
            ("part:Trunk", "weld", 0.1),
            ("part:Trunk", "name", "Lid"),
        )
        self.assertEqual(self.stages(turned, welded, named_), ["AS_RECEIVED", "DROPPED", "NAMES"])
        self.assertEqual(self.stages(turned, ("part:Trunk", "weld", 0.2), named_), ["DROPPED", "NAMES"])
        self.assertEqual(self.stages(turned, welded, ("part:Trunk", "name", "Top")), ["NAMES"])
        self.assertEqual(self.stages(turned, welded, named_), [])
        self.assertEqual(
            self.stages(
                turned,
                welded,
                named_,
                ("proof", "ev100", 3.0),
                ("lightmaps", "paths", 8),
                ("part:Trunk", "triangles", 5),
            ),
            [],
        )

    def test_each_result_follows_what_it_reads_and_nothing_else(self) -> None:
        names = (
            "received_name",
            "findings_name",
            "reference_name",
            "unmixed_name",
            "plan_name",
            "light_name",
            "landed_name",
        )
        plain = self.route()
        for made, changed in (
            (
                (("scene", "unit_m", 0.01),),
                {"findings_name", "reference_name", "unmixed_name", "plan_name", "light_name", "landed_name"},
            ),
            (
                (("part:Front", "weld", 0.1),),
                {"reference_name", "unmixed_name", "plan_name", "light_name", "landed_name"},
            ),
            ((("part:Front", "triangles", 4),), {"plan_name", "light_name", "landed_name"}),
            ((("lightmaps", "paths", 8),), {"light_name"}),
            ((("lightmaps", "lightmaps", True),), {"light_name", "landed_name"}),
            ((("environment", "level", 2.0),), {"reference_name", "plan_name", "light_name", "landed_name"}),
            ((("proof", "ev100", 1.0),), set()),
            ((("x", "accept", True),), set()),
            ((("account:a", "meant", True),), set()),
            ((("part:Front", "sing", 1),), set()),
            (
                (("part:Front", "weld", 0.1), ("part:Front", "weld", 0.1)),
                {"reference_name", "unmixed_name", "plan_name", "light_name", "landed_name"},
            ),
        ):
            with self.subTest(made):
                other = self.route(*made)
                self.assertEqual(
                    {name for name in names if getattr(other, name).key != getattr(plain, name).key}, changed
                )
        twice, once = (
            self.route(("part:Front", "weld", 0.2), ("part:Front", "weld", 0.1)),
            self.route(("part:Front", "weld", 0.1)),
        )
        self.assertEqual(twice.reference_name.key, once.reference_name.key)
