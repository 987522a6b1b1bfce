"""What the first stop asks of the server: choice, names, image facts, media, samples, several models, the
answer before the survey is done.
"""

import io
import zipfile
from unittest import mock

from server.moves import rows
from server.moves.bench import Bench
from server.moves.models import Job, Move
from server.moves.store import store
from tests.making import demo_files, noise_image
from tests.server.making import ServerTest


class InventoryApi(ServerTest):
    def decide(self, move: int, *made: tuple[str, str, object], expect: int = 200) -> object:
        return self.ask(
            f"/moves/{move}/decisions",
            "POST",
            [{"target": t, "field": f, "value": v} for t, f, v in made],
            expect=expect,
        )

    def test_what_comes_along_follows_rules_and_is_shown(self) -> None:
        move = self.made()
        names = [p["name"] for p in self.ask(f"/moves/{move}/inventory")["parts"]]
        self.decide(move, ("scene", "leave_out", [{"name": names[0][:3] + "*"}, {"kind": "light"}]))
        told = self.ask(f"/moves/{move}/inventory")
        self.assertEqual(
            [p["included"] for p in told["parts"]], [not n.startswith(names[0][:3]) for n in names]
        )
        self.assertEqual(told["choice"]["rules"], [{"name": names[0][:3] + "*"}, {"kind": "light"}])
        self.assertTrue(told["surveyed"])
        self.assertFalse(Bench(Move.objects.get(id=move)).reference().lights)
        self.decide(move, ("scene", "join", "material"))
        self.assertEqual([p["name"] for p in self.ask(f"/moves/{move}/inventory")["parts"]], names)
        refused = self.decide(move, ("scene", "leave_out", [{"kind": "ghost"}]), expect=422)
        self.assertIn("rules", refused["remedy"])  # type: ignore[index]

    def test_a_rename_is_previewed_then_decided(self) -> None:
        move = self.made()
        ids = [p["id"] for p in self.ask(f"/moves/{move}/inventory")["parts"]][:2]
        preview = self.ask(f"/moves/{move}/rename-preview", "POST", {"ids": ids, "pattern": "prop {n:02}"})
        self.assertEqual(list(preview.values()), ["prop 01", "prop 02"])
        self.decide(move, *((id, "name", name) for id, name in preview.items()))
        self.assertEqual(
            [p["name"] for p in self.ask(f"/moves/{move}/inventory")["parts"]][:2], ["prop 01", "prop 02"]
        )
        self.assertIn(
            "{name}",
            self.ask(f"/moves/{move}/rename-preview", "POST", {"ids": ids, "pattern": "{x}"}, expect=422)[
                "remedy"
            ],
        )

    def test_an_images_facts_and_channels(self) -> None:
        move = self.made()
        image = next(
            i for i in self.ask(f"/moves/{move}/inventory")["images"] if i["name"].startswith("rough")
        )
        facts = self.ask(f"/moves/{move}/image?image={image['id']}")
        self.assertEqual(sum(facts["channels"][0]["counts"]), image["width"] * image["height"])
        self.assertTrue(facts["used_by"])
        for channel, status in (("r", 200), ("rgb", 200), ("q", 422)):
            self.assertEqual(
                self.client.get(
                    f"/api/moves/{move}/image.png?image={image['id']}&channel={channel}"
                ).status_code,
                status,
            )
        self.ask(f"/moves/{move}/image?image=image:none", expect=422)

    def test_media_come_out_as_files_even_when_embedded(self) -> None:
        move = self.made()
        answer = self.client.get(f"/api/moves/{move}/media.zip")
        archive = zipfile.ZipFile(io.BytesIO(answer.content))
        scene = Bench(Move.objects.get(id=move)).received().scene
        self.assertEqual(
            sorted(archive.read(n) for n in archive.namelist()),
            sorted(bytes(i.data) for i in scene.images.values() if i.data),
        )

    def test_several_models_become_a_move_each(self) -> None:
        obj = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
        before = Move.objects.count()
        files = {
            "chest.obj": obj,
            "lamp.obj": obj.replace(b"1 0 0", b"2 0 0"),
            "skin.png": noise_image("skin").data,
        }
        self.upload(files, apart="true")
        self.assertEqual(Move.objects.count(), before + 2)
        self.work()
        self.assertEqual(sorted(m.name for m in Move.objects.order_by("-id")[:2]), ["chest", "lamp"])
        self.assertEqual(
            [len(self.ask(f"/moves/{m.id}/inventory")["parts"]) for m in Move.objects.order_by("-id")[:2]],
            [1, 1],
        )

    def test_samples_are_offered_and_begun(self) -> None:
        demo_files()
        offered = self.ask("/samples")
        self.assertEqual(len(offered), 6)
        move = self.ask("/moves/from-sample", "POST", {"file": "puppet.ply"})
        self.work()
        self.assertEqual(len(self.ask(f"/moves/{move['id']}/inventory")["parts"]), 1)
        self.ask("/moves/from-sample", "POST", {"file": "../secret"}, expect=422)

    def test_a_survey_that_ends_while_an_answer_is_made_is_told_with_the_next(self) -> None:
        """Findings of the structure alone are never called the whole survey."""
        move = self.made()
        bench = Bench(Move.objects.get(id=move))
        ended: list[bool] = []

        def so_far(_: Bench) -> list[object]:
            ended.append(True)  # the survey ends right after what is known of it was asked for
            return []

        with (
            mock.patch.object(Bench, "surveyed", lambda _: bool(ended)),
            mock.patch.object(Bench, "findings_so_far", so_far),
        ):
            told = rows.inventory_out(bench, "", "")
        self.assertEqual((told["findings"], told["surveyed"]), ([], False))

    def test_structure_is_told_before_the_survey_is_done(self) -> None:
        move = self.made()
        row = Move.objects.get(id=move)
        Move.objects.filter(id=move).update(destination="taccuino")  # not surveyed for this one yet
        store.memory.clear()
        job = Job.objects.create(move=row, kind="receive", state=Job.State.RUNNING)
        first = self.ask(f"/moves/{move}/inventory")
        self.assertFalse(first["surveyed"])
        job.delete()
        whole = self.ask(f"/moves/{move}/inventory")
        self.assertTrue(whole["surveyed"])
        self.assertLessEqual({f["id"] for f in first["findings"]}, {f["id"] for f in whole["findings"]})

    def test_what_the_mends_left_is_looked_for_again(self) -> None:
        move = self.made()
        self.assertEqual(self.ask(f"/moves/{move}/again"), {"known": False, "remnants": []})
        self.decide(move, ("scene", "scale", 100_000.0))
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "again"})
        self.assertEqual(self.work()[-1].state, "done")
        told = self.ask(f"/moves/{move}/again")
        self.assertIn(("unit", "made"), [(one["kind"], one["why"]) for one in told["remnants"]])
        self.ask(f"/moves/{move}/undo", "POST")
        self.assertFalse(self.ask(f"/moves/{move}/again")["known"])

    def test_a_decision_about_nothing_is_refused_and_a_place_is_shown_as_it_was_decided(self) -> None:
        move = self.made()
        refused = self.decide(move, ("part:nobody", "weld", 0.1), expect=422)
        self.assertIn("no such thing", refused["what"])  # type: ignore[index]
        self.assertEqual(self.ask(f"/moves/{move}/decisions"), [])
        part = self.ask(f"/moves/{move}/inventory")["parts"][0]
        self.assertIsNone(part["place"])
        self.decide(move, (part["id"], "place", {"move_m": [1, 0, 0]}))
        self.assertEqual(
            self.ask(f"/moves/{move}/inventory")["parts"][0]["place"],
            {"move_m": [1, 0, 0], "turn_deg": [0, 0, 0], "size": 1},
        )
