"""People and what is theirs: every route by a table, sharing, links, signing in, and taking back one's own."""

from __future__ import annotations

import re
from datetime import timedelta
from typing import Any
from unittest import mock

from django.contrib.auth.models import User
from django.test import Client, override_settings
from django.utils import timezone

from server.accounts.quota import taken_bytes
from server.accounts.throttle import FREE_TRIES, Throttle
from server.moves.api import api
from server.moves.models import Handover, Link, Move, ProofRow, Share
from tests.server.making import GLB, ServerTest

WORD = "many words are long"
QUICK = "django.contrib.auth.hashers.MD5PasswordHasher"  # the real one takes its time on purpose
ABOUT_NO_MOVE = {
    "/session": "who is here",
    "/people": "names to share with",
    "/sheets": "sheets are everybody's",
    "/sheet-inputs": "the words of sheets",
    "/sheets/compare": "sheets are everybody's",
    "/sheets/import": "sheets are everybody's",
    "/sheets/{name}.toml": "sheets are everybody's",
    "/sheets/{name}/copy": "sheets are everybody's",
    "/sheets/{name}": "sheets are everybody's",
    "/sheets/{name}/undo": "sheets are everybody's",
    "/sheets/{name}/redo": "sheets are everybody's",
    "/samples": "deliveries that ship with the demo",
    "/shelf.png": "the library that ships",
    "/moves": "lists what one sees; makes one's own",
    "/moves/from-sample": "makes one's own",
    "/blobs/{name}.png": "found by a digest that only who saw it knows",
    "/blobs/{name}.glb": "found by a digest that only who saw it knows",
    "/kept": "lists one's own",
    "/kept/bring": "onto one's own shelf",
    **{f"/kept/{{kept_id}}{end}": "one's own alone" for end in ("", ".zip", ".png", "/back")},
    "/taken-off": "lists one's own",
    "/room": "lists what one sees",
}
ASKS_ONLY = {
    f"/moves/{{move_id}}/{end}"
    for end in ("rename-preview", "faces-found", "faces-drawn", "uv-layout", "walk")
}
OWNER_ALONE = {
    ("/moves/{move_id}", "DELETE"),
    ("/moves/{move_id}/sharing", "PUT"),
    ("/moves/{move_id}/links", "POST"),
    ("/links/{link_id}", "DELETE"),
    ("/taken-off/{move_id}/back", "POST"),
    ("/taken-off/{move_id}", "DELETE"),
}


def routes() -> list[tuple[str, str]]:
    """Every route of the API: its path below /api and its method."""
    paths = api.get_openapi_schema()["paths"]
    return [(path.removeprefix("/api"), method.upper()) for path, ways in paths.items() for method in ways]


@override_settings(ACCOUNTS=True, PASSWORD_HASHERS=[QUICK])
class People(ServerTest):
    def setUp(self) -> None:
        self.people = {
            name: User.objects.create_user(name, password=WORD) for name in ("ada", "bice", "carlo", "dina")
        }
        self.as_("ada")
        self.move = int(self.upload({"rich.glb": GLB})["id"])  # not read: most of it is about rows
        row = Move.objects.get(id=self.move)
        # Rows that nothing but their numbers is asked of, apart from the move whose pages are asked.
        self.papers = Move.objects.create(
            name="papers", source="plain", destination="lanterna", owner=row.owner
        )
        self.ids = {
            "move_id": self.move,
            "job_id": row.jobs.first().pk,  # type: ignore[union-attr]
            "proof_id": ProofRow.objects.create(
                move=self.papers, number=1, figures={"views": []}, pictures={}, plan=""
            ).pk,
            "handover_id": Handover.objects.create(
                move=self.papers,
                number=1,
                destination="Lanterna",
                files={},
                marks={},
                packing_list="",
                report="0" * 64,
                archive="0" * 64,
                plan="",
            ).pk,
            "link_id": Link.objects.create(move=row, ends=timezone.now() + timedelta(days=1)).pk,
        }

    def as_(self, name: str | None) -> None:
        self.client = Client()
        if name is not None:
            self.client.force_login(User.objects.get(username=name))

    def status(self, path: str, method: str) -> int:
        for name, id in self.ids.items():
            path = path.replace(f"{{{name}}}", str(id))
        path = re.sub(r"\{\w+\}", "x", path)
        if method == "POST" and (
            path.endswith(
                (
                    "/files",
                    "/files/replace",
                    "/use-file",
                    "/seen",
                    "/own-pictures",
                    "/gauge/pictures",
                    "/came-back",
                    "/kept/bring",
                )
            )
            or path == "/moves"
        ):
            return self.client.post(f"/api{path}", {"name": "x"}).status_code
        return self.client.generic(method, f"/api{path}", "{}", content_type="application/json").status_code

    def test_every_route_is_about_a_move_or_in_the_table(self) -> None:
        for path, _ in routes():
            known = any(
                f"{{{name}}}" in path for name in ("move_id", "job_id", "proof_id", "handover_id", "link_id")
            )
            self.assertTrue(known or path in ABOUT_NO_MOVE, path)

    def test_who_is_not_signed_in_sees_nothing(self) -> None:
        self.as_(None)
        for path, method in routes():
            if path != "/session":
                self.assertEqual(self.status(path, method), 401, (path, method))

    def test_nobody_reaches_what_is_not_theirs_by_any_route(self) -> None:
        shared = self.ask(f"/moves/{self.move}/sharing", "PUT", {"person": "carlo", "level": "look"})
        self.assertEqual(shared["shares"], [{"person": "carlo", "level": "look"}])
        self.ask(f"/moves/{self.move}/sharing", "PUT", {"person": "dina", "level": "work"})
        for name, level in (("carlo", "look"), ("dina", "work")):
            Share.objects.create(move=self.papers, person=self.people[name], level=level)
        about = [(path, method) for path, method in routes() if path not in ABOUT_NO_MOVE]
        self.assertGreater(len(about), 40)
        for path, method in about:
            with self.subTest(f"{method} {path}"):
                self.as_("bice")
                self.assertEqual(self.status(path, method), 404)
                writes = method != "GET" and path not in ASKS_ONLY
                self.as_("carlo")
                self.assertEqual(self.status(path, method) == 403, writes)
                self.as_("dina")
                if (path, method) in OWNER_ALONE:
                    self.assertEqual(self.status(path, method), 403)
        self.assertTrue(Move.objects.filter(id=self.move, deleted=None).exists())

    def test_the_desk_shows_one_s_own_and_what_is_shared(self) -> None:
        self.ask(f"/moves/{self.move}/sharing", "PUT", {"person": "carlo", "level": "look"})
        self.papers.delete()
        seen = {}
        for name in self.people:
            self.as_(name)
            seen[name] = [(move["id"], move["may"]) for move in self.ask("/moves")]
        self.assertEqual(
            seen, {"ada": [(self.move, "own")], "bice": [], "carlo": [(self.move, "look")], "dina": []}
        )
        self.as_("ada")
        self.ask(f"/moves/{self.move}/sharing", "PUT", {"person": "carlo", "level": "none"})
        self.as_("carlo")
        self.assertEqual(self.ask("/moves"), [])

    def decide(self, name: str, level: float) -> None:
        self.as_(name)
        said = [{"target": "environment", "field": "level", "value": level}]
        self.ask(f"/moves/{self.move}/decisions", "POST", said)

    def test_each_takes_back_their_own_and_hears_what_stands_on_it(self) -> None:
        self.work()
        self.ask(f"/moves/{self.move}/sharing", "PUT", {"person": "dina", "level": "work"})
        part = self.ask(f"/moves/{self.move}/inventory")["parts"][0]["id"]
        self.ask(
            f"/moves/{self.move}/decisions", "POST", [{"target": part, "field": "name", "value": "Mine"}]
        )
        self.as_("dina")
        first = self.ask(f"/moves/{self.move}/pulse")["beat"]
        self.ask(
            f"/moves/{self.move}/decisions", "POST", [{"target": part, "field": "name", "value": "Hers"}]
        )
        self.assertNotEqual(self.ask(f"/moves/{self.move}/pulse")["beat"], first)
        self.assertEqual([row["by"] for row in self.ask(f"/moves/{self.move}/history")], ["ada", "dina"])
        self.as_("ada")
        told = self.ask(f"/moves/{self.move}/undo", "POST", expect=422)
        self.assertIn("dina decided the same after you", told["what"])
        self.as_("dina")
        undone = self.ask(f"/moves/{self.move}/undo", "POST")
        self.assertEqual((undone["can_undo"], undone["can_redo"]), (False, True))
        self.as_("ada")
        undone = self.ask(f"/moves/{self.move}/undo", "POST")
        self.assertEqual((undone["can_undo"], undone["can_redo"]), (False, True))
        self.ask(f"/moves/{self.move}/redo", "POST")
        held = {row["value"] for row in self.ask(f"/moves/{self.move}/decisions")}
        self.assertEqual(held, {"Mine"})
        self.assertEqual([row["undone"] for row in self.ask(f"/moves/{self.move}/history")], [False, True])

    def test_deliveries_of_one_person_take_no_more_than_their_share(self) -> None:
        self.ask(f"/moves/{self.move}/sharing", "PUT", {"person": "dina", "level": "work"})
        taken = taken_bytes(self.people["ada"])
        self.assertEqual(taken, len(GLB))
        more = f"/moves/{self.move}/files"
        with override_settings(PERSON_BYTES=taken + len(GLB) // 2):
            told = self.upload({"again.glb": GLB}, expect=507)
            self.assertIn("ada", told["what"])
            self.as_("dina")  # the move is ada's, whoever adds to it
            self.upload({"again.glb": GLB}, expect=507, path=more)
            self.upload({"own.glb": GLB})
        with override_settings(PERSON_BYTES=0):
            self.upload({"again.glb": GLB}, path=more)

    def test_signing_in_and_out(self) -> None:
        self.as_(None)
        self.assertEqual(
            self.ask("/session"), {"accounts": True, "person": None, "admin": False, "coming": []}
        )
        self.ask("/session", "POST", {"name": "ada", "password": "wrong"}, expect=422)
        told = self.ask("/session", "POST", {"name": "ada", "password": WORD})
        self.assertEqual(told["person"], "ada")
        self.papers.delete()
        self.assertEqual([move["id"] for move in self.ask("/moves")], [self.move])
        self.ask("/session", "DELETE", expect=204)
        self.ask("/moves", expect=401)

    def test_guessing_passwords_slows_down(self) -> None:
        self.as_(None)
        with mock.patch("server.moves.api.sharing.THROTTLE", Throttle()):
            for _ in range(FREE_TRIES):
                told = self.ask("/session", "POST", {"name": "ada", "password": "guess"}, expect=422)
                self.assertIn("wrong", told["what"])
            told = self.ask("/session", "POST", {"name": "ada", "password": WORD}, expect=422)
            self.assertIn("too many tries", told["what"])

    def test_a_link_shows_report_and_proof_alone_and_runs_out(self) -> None:
        word = self.ask(f"/moves/{self.move}/links", "POST", {"days": 2})["links"][0]["path"]
        self.assertGreater(len(word), 30)
        self.ask(f"/moves/{self.move}/sharing", "PUT", {"person": "carlo", "level": "look"})
        self.as_("carlo")
        self.assertEqual(self.ask(f"/moves/{self.move}/sharing")["links"], [])
        self.as_(None)
        page = self.client.get(word)
        self.assertContains(page, "rich")
        self.assertEqual(
            (page["Cache-Control"], page["Referrer-Policy"]), ("private, no-store", "no-referrer")
        )
        self.assertEqual(self.client.get(f"/api/moves/{self.move}").status_code, 401)
        Link.objects.update(ends=timezone.now() - timedelta(seconds=1))
        self.assertEqual(self.client.get(word).status_code, 404)
        self.assertEqual(self.client.get(f"{word}/report").status_code, 404)
        self.assertEqual(self.client.get("/link/guessed").status_code, 404)


class Pauses(ServerTest):
    def test_pauses_double_for_a_key_and_end_with_success(self) -> None:
        now: list[float] = [0.0]
        throttle = Throttle(lambda: now[0])
        waits: list[Any] = []
        for _ in range(FREE_TRIES + 3):
            throttle.failed("ada")
            waits.append(throttle.wait_s("ada", "elsewhere"))
        self.assertEqual(waits, [0.0] * (FREE_TRIES - 1) + [2.0, 4.0, 8.0, 16.0])
        now[0] = 16.0
        self.assertEqual(throttle.wait_s("ada"), 0.0)
        throttle.failed("ada")
        throttle.succeeded("ada")
        self.assertEqual(throttle.wait_s("ada"), 0.0)

    def test_a_computer_of_one_person_asks_for_no_name(self) -> None:
        self.assertEqual(
            self.ask("/session"), {"accounts": False, "person": None, "admin": False, "coming": []}
        )
        move = int(self.upload({"rich.glb": GLB})["id"])
        self.assertEqual(self.ask(f"/moves/{move}")["may"], "own")
        self.assertEqual(self.client.get("/admin/").status_code, 200)  # the front end: there is no admin page
