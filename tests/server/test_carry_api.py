"""Moves carried from the desk, each at one press: destination, recipe, package and proof."""

from __future__ import annotations

from tests.making import cube, material, scene
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb

OTHER = write_glb(scene(cube(1.0, "material:wax"), materials=(material("wax"),)))


class Carry(ServerTest):
    def setUp(self) -> None:
        self.first, self.second = self.made(), self.made()

    def carry(self, move: int, **wanted: object) -> None:
        self.ask(f"/moves/{move}/carry", "POST", wanted)
        for job in self.work():
            self.assertEqual(job.state, "done", job.refusal)

    def test_what_was_decided_in_another_move_is_taken_as_far_as_it_fits(self) -> None:
        things = self.ask(f"/moves/{self.first}/packing-list")["things"]
        part = next(t["id"] for t in things if t["kind"] == "part")
        wanted = [
            {"target": "scene", "field": "scale", "value": 2.0},
            {"target": f"part:{part}", "field": "still", "value": True},
        ]
        self.ask(f"/moves/{self.first}/decisions", "POST", wanted)
        stranger = self.made({"other.glb": OTHER})
        for move, fields in ((self.second, {"scale", "still"}), (stranger, {"scale"})):
            self.carry(move, recipe=self.first)
            made = self.ask(f"/moves/{move}/decisions")
            self.assertEqual({one["field"] for one in made}, fields)
        # What was taken is one step, and can be taken back.
        self.ask(f"/moves/{self.second}/undo", "POST")
        self.assertEqual(self.ask(f"/moves/{self.second}/decisions"), [])

    def test_the_same_package_is_not_delivered_twice(self) -> None:
        for _ in range(2):
            self.carry(self.first)
        self.assertEqual(len(self.ask(f"/moves/{self.first}/handovers")), 1)
        self.carry(self.first, destination="tela")
        rows = self.ask(f"/moves/{self.first}/handovers")
        self.assertEqual([row["destination"] for row in rows], ["Tela", "Lanterna"])
        told = next(move for move in self.ask("/moves") if move["id"] == self.first)
        self.assertEqual(told["marks"], rows[0]["marks"])

    def test_what_cannot_be_carried_is_refused_before_anything_is_changed(self) -> None:
        for wanted in ({"destination": "bottega"}, {"destination": "nowhere"}, {"recipe": 12345}):
            self.ask(f"/moves/{self.first}/carry", "POST", wanted, expect=422)
        self.assertEqual(self.ask(f"/moves/{self.first}")["destination"], "lanterna")
        self.assertEqual(self.work(), [])
