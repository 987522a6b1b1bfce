"""The packing list over the API: read, changed, handed back against the delivery that it lay beside."""

from __future__ import annotations

import io
import zipfile

from tests.server.making import ServerTest


class PackingList(ServerTest):
    def setUp(self) -> None:
        self.move = self.made()
        self.here = f"/moves/{self.move}"

    def hand(self, text: str, try_only: bool = False) -> dict[str, object]:
        told = self.ask(f"{self.here}/packing-list", "POST", {"text": text, "try_only": try_only})
        return dict(told)

    def test_what_changed_is_decided_and_can_be_undone(self) -> None:
        text = self.ask(f"{self.here}/packing-list")["text"]
        changed = text.replace("comes along: yes", "comes along: no", 1)
        tried = self.hand(changed, try_only=True)
        self.assertEqual((len(tried["words"]), tried["move"]), (1, None))  # type: ignore[arg-type]
        self.assertEqual(self.ask(f"{self.here}/decisions"), [])
        self.assertIsNotNone(self.hand(changed)["move"])
        (made,) = self.ask(f"{self.here}/decisions")
        self.assertEqual((made["field"], made["value"]), ("include", False))
        self.assertIn("comes along: no", self.ask(f"{self.here}/packing-list")["text"])
        self.ask(f"{self.here}/undo", "POST")
        self.assertEqual(self.ask(f"{self.here}/packing-list")["text"], text)

    def test_lines_that_cannot_be_understood_change_nothing(self) -> None:
        text = self.ask(f"{self.here}/packing-list")["text"]
        told = self.hand(
            text.replace("comes along: yes", "comes along: no", 1).replace("size: 1", "size: big", 1)
        )
        (misread,) = told["misread"]  # type: ignore[misc]
        self.assertIn("size: big", misread["text"])
        self.assertEqual(text.splitlines()[misread["line"] - 1].strip(), "size: 1")
        self.assertEqual(self.ask(f"{self.here}/decisions"), [])

    def test_a_list_that_came_with_a_delivery_says_only_what_was_changed_in_it(self) -> None:
        self.ask(f"{self.here}/jobs", "POST", {"kind": "deliver"})
        self.work()
        row = self.ask(f"{self.here}/handovers")[0]
        data = b"".join(self.client.get(f"/api/handovers/{row['id']}/package.zip").streaming_content)
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            text = archive.read("packing-list.txt").decode()
        self.assertIn("number 1", text.splitlines()[0])
        # Something else is decided meanwhile; the list that comes back knows nothing of it.
        self.ask(f"{self.here}/decisions", "POST", [{"target": "scene", "field": "scale", "value": 2.0}])
        self.hand(text.replace("stands still: unsaid", "stands still: yes", 1))
        fields = {one["field"]: one["value"] for one in self.ask(f"{self.here}/decisions")}
        self.assertEqual(fields, {"scale": 2.0, "still": True})
