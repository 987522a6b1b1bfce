"""Own sheets over the API: copied, changed with the plan following at once, undone, refused at the field,
exported and brought back.
"""

from server.moves.models import OwnSheet
from tests.server.making import ServerTest


class SheetsApi(ServerTest):
    def test_a_copy_is_changed_and_the_plan_follows(self) -> None:
        self.ask("/sheets/lanterna/copy", "POST", {"name": "Small lantern"})
        move = self.made()
        self.ask(f"/moves/{move}", "PATCH", {"destination": "small lantern"})
        before = self.ask(f"/moves/{move}/fit")["images"]
        changed = self.ask("/sheets/small lantern", "PATCH", {"lines": {"images.largest": 8}})
        self.assertEqual(
            next(line for line in changed["lines"] if line["path"] == "images.largest")["said"],
            "At most 8 texels a side",
        )
        after = self.ask(f"/moves/{move}/fit")["images"]
        self.assertGreater(max(i["width"] for i in before), 8)
        self.assertLessEqual(max(i["width"] for i in after), 8)
        self.ask("/sheets/small lantern/undo", "POST")
        self.assertEqual(self.ask(f"/moves/{move}/fit")["images"], before)
        self.assertTrue(self.ask("/sheets/small lantern/redo", "POST")["can_undo"])
        self.assertEqual(
            [d["path"] for d in self.ask("/sheets/compare?first=lanterna&second=small lantern")],
            ["images.largest"],
        )
        self.ask("/sheets/small lantern", "DELETE", expect=422)
        self.ask(f"/moves/{move}", "PATCH", {"destination": "lanterna"})
        self.ask("/sheets/small lantern", "DELETE", expect=204)
        self.assertNotIn("Small lantern", [s["name"] for s in self.ask("/sheets")])

    def test_a_broken_line_is_refused_at_its_place_and_nothing_changes(self) -> None:
        self.ask("/sheets/lanterna/copy", "POST", {"name": "Mine"})
        before = self.client.get("/api/sheets/mine.toml").content
        refusal = self.ask("/sheets/mine", "PATCH", {"lines": {"images.pattern": "{material}"}}, expect=422)
        self.assertEqual(refusal["where"], "images.pattern")
        self.assertEqual(
            self.ask("/sheets/mine", "PATCH", {"lines": {"name": "Yours"}}, expect=422)["where"], "name"
        )
        self.assertEqual(self.client.get("/api/sheets/mine.toml").content, before)
        for name, told in (("lanterna", {"images.largest": 1}), ("nobody", {"images.largest": 1})):
            self.ask(f"/sheets/{name}", "PATCH", {"lines": told}, expect=422)
        for name in ("Lanterna", "mine", "", "a/b", "x" * 61):
            self.ask("/sheets/lanterna/copy", "POST", {"name": name}, expect=422)

    def test_out_as_toml_and_in_again(self) -> None:
        text = self.client.get("/api/sheets/fornace.toml").content.decode()
        self.ask("/sheets/import", "POST", {"text": text}, expect=422)
        mine = self.ask(
            "/sheets/import", "POST", {"text": text.replace('name = "Fornace"', 'name = "Forge"', 1)}
        )
        self.assertTrue(mine["own"])
        self.assertEqual(self.ask("/sheets/compare?first=fornace&second=forge"), [])
        broken = self.ask(
            "/sheets/import", "POST", {"text": 'name = "Q"\nsummary = ""\n[images]\ndepth = 12\n'}, expect=422
        )
        self.assertIn("images.depth", broken["what"])
        self.assertIn("TOML", self.ask("/sheets/import", "POST", {"text": "name = "}, expect=422)["what"])

    def test_one_bad_sheet_takes_nothing_with_it(self) -> None:
        self.ask("/sheets/plain/copy", "POST", {"name": "Mine"})
        self.ask("/sheets/plain/copy", "POST", {"name": "Other"})
        row = OwnSheet.objects.get(key="mine")
        row.versions = [*row.versions, "unit_m = [[["]
        row.place = 1
        row.save()
        OwnSheet.objects.filter(key="other").update(versions=["nonsense"])
        with self.assertLogs("server.moves.sheets", "WARNING"):
            names = {one["name"] for one in self.ask("/sheets")}
        self.assertLessEqual({"Mine", "Lanterna"}, names)
        self.assertNotIn("Other", names)
