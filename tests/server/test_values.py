"""Values from the browser: whatever they are, the answer is in words, and nothing is broken afterwards."""

from __future__ import annotations

import json
from typing import Any
from unittest import mock

from tests.server.making import ServerTest

BIG = "9" * 400


class Values(ServerTest):
    def setUp(self) -> None:
        self.move = self.made()
        self.here = f"/api/moves/{self.move}"
        self.part = self.ask(f"/moves/{self.move}/inventory")["parts"][0]["id"]

    def answered(self, path: str, body: Any = None, method: str = "POST") -> int:
        """The status of an answer; one that refuses says what, where and what to do."""
        if body is None:
            answer = self.client.get(path)
        else:
            text = body if isinstance(body, str) else json.dumps(body)
            answer = self.client.generic(method, path, text, content_type="application/json")
        data = answer.getvalue()
        if answer.status_code != 200:
            self.assertTrue(all(json.loads(data)[key] for key in ("what", "where", "remedy")), (path, data))
        return int(answer.status_code)

    def test_odd_values_are_refused_in_words(self) -> None:
        decisions = f"{self.here}/decisions"
        for value in (BIG, "1e400", "NaN", '"wide"', "[[[[1]]]]", "{}", "true"):
            body = f'[{{"target": "scene", "field": "scale", "value": {value}}}]'
            self.assertEqual(self.answered(decisions, body), 422, value)
        for name in ("a\ud800", "x\u202ey", "two\nlines", " ", "y" * 300):
            said = [{"target": self.part, "field": "name", "value": name}]
            self.assertEqual(self.answered(decisions, said), 422, repr(name))
        rename = f"{self.here}/rename-preview"
        for pattern in ("{n:999999999}", f"{{n:{BIG}}}", "", "{"):
            self.assertEqual(self.answered(rename, {"ids": [self.part], "pattern": pattern, "find": ""}), 422)
        self.assertEqual(self.answered("/api/sheets/import", {"text": "a = " + "[" * 5000}), 422)
        self.assertEqual(self.answered("/api/sheets/import", {"text": f'name = "x"\nunit_m = {BIG}'}), 422)
        self.assertEqual(self.answered("/api/sheets/plain/copy", {"name": "mine \ud800"}), 422)
        for setting in ("f_stop=inf", "f_stop=nan", "f_stop=-1", "f_stop=x"):
            self.assertEqual(
                self.answered(f"{self.here}/exposure?{setting}&shutter_s=1&iso=100"), 422, setting
            )
        self.assertGreater(len(self.ask("/sheets")), 3)
        self.assertEqual(self.ask(f"/moves/{self.move}/decisions"), [])

    def test_what_is_not_there_is_told_so(self) -> None:
        far = "9" * 25
        for path in (
            f"/api/moves/{far}",
            f"/api/proofs/{far}/pixel?view=a&x=1&y=1",
            f"/api/jobs/{far}",
            f"/api/blobs/{'0' * 64}.png",
        ):
            self.assertEqual(self.answered(path), 404, path)
        for path in (
            "texel?image=x&u=nan&v=1e400",
            f"input.png?material=x&name=y&side={far}",
            "step.png?crossing=x&at=-5",
            f"lightmap.png?number={far}",
            "samples?material=%00",
            "collision?part=%F0%9F%98%80",
        ):
            self.assertEqual(self.answered(f"{self.here}/{path}"), 422, path)

    def test_names_are_made_legible_and_settings_kept_within_bounds(self) -> None:
        for name, wanted in (
            ("Old \ud800 stage", "Old \ufffd stage"),
            ("one\nexact", "one exact"),
            ("z" * 999, "z" * 200),
        ):
            self.assertEqual(self.answered(self.here, {"name": name}, "PATCH"), 200)
            self.assertEqual(self.ask(f"/moves/{self.move}")["name"], wanted)
        small = {"height": 16, "samples": 1, "bounces": 0}
        for odd in ('"x"', "1e308", BIG, "-5", "null", "[]"):
            body = '{"kind": "prove", "settings": {**}}'.replace(
                "**", f'{json.dumps(small)[1:-1]}, "width": {odd}'
            )
            self.assertEqual(self.answered(f"{self.here}/jobs", body), 422, odd)
        self.assertEqual(self.work(), [])
        body = json.dumps({"kind": "prove", "settings": {**small, "width": 16}})
        self.assertEqual(self.answered(f"{self.here}/jobs", body), 200)
        self.assertEqual([job.state for job in self.work()], ["done"])

    def test_what_nobody_foresaw_is_told_with_a_number_and_without_a_trace(self) -> None:
        with (
            mock.patch("server.moves.desk.move_out", side_effect=ZeroDivisionError("secret")),
            self.assertLogs("server.moves.api", "ERROR") as logged,
        ):
            answer = self.client.get(self.here)
        self.assertEqual(answer.status_code, 500)
        told = answer.json()
        number = told["what"].rsplit(" ", 1)[1].rstrip(".")
        self.assertIn(number, logged.output[0])
        self.assertNotIn("ZeroDivision", answer.content.decode())
        self.assertNotIn("secret", answer.content.decode())
