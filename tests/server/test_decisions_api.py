"""Decisions over the wire: typed, refused in words before anything is kept, and told when a revision leaves
them idle.
"""

from __future__ import annotations

from typing import Any

from server.moves.models import DecisionRow
from tests.making import cube, quad, scene
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb


def glb(*names: str) -> bytes:
    return write_glb(scene(*(cube() if k % 2 else quad() for k in range(len(names))), names=names))


class Decisions(ServerTest):
    def setUp(self) -> None:
        self.move = self.made({"front.glb": glb("Front", "Trunk")})
        parts = self.ask(f"/moves/{self.move}/inventory")["parts"]
        self.ids = {part["name"]: part["id"] for part in parts}

    def decide(self, *made: tuple[str, str, Any], expect: int = 200) -> Any:
        return self.ask(
            f"/moves/{self.move}/decisions",
            "POST",
            [{"target": t, "field": f, "value": v} for t, f, v in made],
            expect=expect,
        )

    def test_what_cannot_be_is_refused_in_words_and_nothing_is_kept(self) -> None:
        trunk = self.ids["Trunk"]
        for wrong, where, remedy in (
            ((trunk, "weld", 5), f"{trunk}, weld", "Give metres from 0 to 1."),
            ((trunk, "weld", "wide"), f"{trunk}, weld", "Give metres from 0 to 1."),
            ((trunk, "sing", True), trunk, "Choose one of:"),
            ((trunk, "place", {"fly": [1]}), f"{trunk}, place", "Give move_m"),
            ((trunk, "name", "a\u0000" * 200), f"{trunk}, name", "Give a name"),
        ):
            with self.subTest(wrong):
                refusal = self.decide((trunk, "drop_doubles", True), wrong, expect=422)
                self.assertEqual(refusal["where"], where)
                self.assertIn(remedy, refusal["remedy"])
        for body in (
            "[[]]",
            '[{"target": "a"}]',
            "{}",
            "[" * 3000,
            '[{"target": "scene", "field": "scale", "value": 1e999}]',
            '[{"target": {}, "field": [], "value": 1}]',
        ):
            with self.subTest(body[:20]):
                response = self.client.generic(
                    "POST", f"/api/moves/{self.move}/decisions", body, content_type="application/json"
                )
                self.assertIn(response.status_code, (400, 422), response.content[:200])
                self.assertIn("remedy", response.json())
        self.assertEqual(self.ask(f"/moves/{self.move}/decisions"), [])

    def test_what_an_earlier_version_stored_and_nobody_reads_any_more_is_told_and_hurts_nothing(self) -> None:
        self.decide((self.ids["Trunk"], "name", "Lid"))
        DecisionRow.objects.create(
            move_id=self.move, batch=2, target=self.ids["Trunk"], field="sing", value=1
        )
        DecisionRow.objects.create(move_id=self.move, batch=3, target="scene", field="scale", value="wide")
        rows = self.ask(f"/moves/{self.move}/history")
        self.assertEqual([row["idle"] for row in rows], [0, 1, 1])
        self.assertIn("not understood any more", rows[1]["words"][0])
        self.assertEqual(len(self.ask(f"/moves/{self.move}/inventory")["parts"]), 2)
        self.assertIn("marks", self.ask(f"/moves/{self.move}/fit"))

    def test_what_a_revision_left_idle_is_told_and_kept(self) -> None:
        self.decide((self.ids["Trunk"], "name", "Lid"), (self.ids["Front"], "drop_doubles", True))
        self.assertEqual([row["idle"] for row in self.ask(f"/moves/{self.move}/history")], [0])
        self.upload({"front.glb": glb("Front")}, path=f"/moves/{self.move}/files")
        self.work()
        told = self.ask(f"/moves/{self.move}")["stops"]
        self.assertEqual((told["idle"], "1 idle" in told["inventory"]), (1, True))
        self.assertEqual(
            [(row["idle"], row["count"]) for row in self.ask(f"/moves/{self.move}/history")], [(1, 2)]
        )
        self.assertEqual(len(self.ask(f"/moves/{self.move}/decisions")), 2)
        self.upload({"front.glb": glb("Front", "Trunk")}, path=f"/moves/{self.move}/files")
        self.work()
        self.assertEqual(self.ask(f"/moves/{self.move}")["stops"]["idle"], 0)
