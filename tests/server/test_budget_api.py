"""A delivery under a budget, over HTTP: measured once, shared out within limits, taken, measured as a whole."""

from __future__ import annotations

from typing import Any

from tests.core.test_budget import FINE, PLAIN, boards
from tests.drawn import trunk
from tests.fits import small_budgets
from tests.making import cube, material, scene
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb


class Budget(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(small_budgets())

    def measured(self, move: int, **wanted: Any) -> None:
        self.ask(f"/moves/{move}/budget", "POST", wanted)
        self.assertEqual([job.refusal for job in self.work()], [None])

    def test_limits_are_shared_out_taken_and_measured(self) -> None:
        move = self.made({"boards.glb": write_glb(boards())}, destination="lanterna")
        self.assertIsNone(self.ask(f"/moves/{move}/budget")["found"])
        self.measured(move)
        found = self.ask(f"/moves/{move}/budget")["found"]
        self.assertEqual((found["changes"], found["decisions"], found["loss"]), ([], [], 0))
        self.assertEqual(found["stands"]["memory"], found["now"]["memory"])
        room = 0.6 * found["now"]["memory"]
        limited = f"/moves/{move}/budget?memory={room}"
        found = self.ask(limited)["found"]
        self.assertEqual([one["id"] for one in found["changes"]], [PLAIN])
        self.assertLessEqual(found["then"]["memory"], room)
        kept = self.ask(f"{limited}&keep={PLAIN}")["found"]
        self.assertEqual([one["id"] for one in kept["changes"]], [FINE])
        self.assertEqual([one["id"] for one in kept["kept"]], [PLAIN])
        self.measured(move, memory=room, together=True)
        tried = self.ask(limited)["found"]["tried"]
        self.assertEqual(tried["taken"]["memory"], found["then"]["memory"])
        self.ask(f"/moves/{move}/decisions", "POST", found["decisions"])
        taken = self.ask(limited)["found"]
        self.assertEqual(taken["decisions"], [])
        self.assertEqual(taken["stands"]["memory"], found["then"]["memory"])
        # The choices still hold, and without limits those that are in force would be lifted.
        lifted = self.ask(f"/moves/{move}/budget")["found"]["decisions"]
        self.assertEqual({(one["target"], one["value"]) for one in lifted}, {(PLAIN, None)})

    def test_draw_calls_are_limited_by_one_material_for_each_part(self) -> None:
        move = self.made({"trunk.glb": write_glb(trunk())}, destination="lanterna")
        self.measured(move)
        limited = f"/moves/{move}/budget?draws=1"
        found = self.ask(limited)["found"]
        self.assertEqual((found["fits"], found["now"]["draws"], found["then"]["draws"]), (True, 3, 1))
        self.assertEqual([one["kind"] for one in found["changes"]], ["layout"])
        self.ask(f"/moves/{move}/decisions", "POST", found["decisions"])
        steps = [s["kind"] for c in self.ask(f"/moves/{move}/fit")["crossings"] for s in c["steps"]]
        self.assertIn("together", steps)
        taken = self.ask(limited)["found"]
        self.assertEqual((taken["decisions"], taken["stands"]["draws"]), ([], 1))
        self.ask(f"/moves/{move}/undo", "POST")
        self.assertEqual(self.ask(limited)["found"]["stands"]["draws"], 3)

    def test_what_is_no_limit_and_what_has_nothing_to_give_are_told(self) -> None:
        move = self.made({"box.glb": write_glb(scene(cube(), materials=(material(),)))})
        for asked in ("memory=-1", "triangles=many", "memory=nan", "download=1e99"):
            self.ask(f"/moves/{move}/budget?{asked}", expect=422)
        self.ask(f"/moves/{move}/budget", "POST", {})
        (job,) = self.work()
        self.assertIn("Nothing that is delivered can be made smaller", (job.refusal or {})["what"])
