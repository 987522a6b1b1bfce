"""What a browser is let do: nothing for other sites, bodies bounded before they are read, no script but ours."""

from __future__ import annotations

import os
import stat
import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.test import override_settings

from server.moves.models import Move
from server.moves.store import blob_path, put_blob
from tests.server.making import ServerTest


class Guarded(ServerTest):
    def asked(self, path: str, method: str = "POST", body: str = "{}", **headers: Any) -> Any:
        kind = headers.pop("kind", "application/json")
        return self.client.generic(method, path, body, content_type=kind, headers=headers)

    def test_other_sites_change_nothing_and_show_nothing(self) -> None:
        move = self.made()
        for headers in (
            {"origin": "http://elsewhere.example"},
            {"sec-fetch-site": "cross-site"},
            {"sec-fetch-site": "same-site"},
        ):
            answer = self.asked(f"/api/moves/{move}/undo", **headers)
            self.assertEqual((answer.status_code, "another site" in answer.json()["what"]), (403, True))
        for path in (f"/api/moves/{move}/inventory", f"/api/moves/{move}/light.png", "/api/moves"):
            shown = self.client.get(path, headers={"sec-fetch-site": "cross-site"})
            self.assertEqual(shown.status_code, 403, path)
        self.assertEqual(self.client.get("/", headers={"sec-fetch-site": "cross-site"}).status_code, 200)
        own = self.asked(f"/api/moves/{move}/undo", **{"sec-fetch-site": "same-origin"})
        self.assertEqual(own.status_code, 200)

    def test_forms_of_other_kinds_and_endless_bodies_are_refused_before_they_are_read(self) -> None:
        move = self.made()
        where = f"/api/moves/{move}/decisions"
        for status, answer in (
            (415, self.asked(where, body="a=b", kind="application/x-www-form-urlencoded")),
            (415, self.asked(where, body="[]", kind="text/plain")),
            (413, self.client.post(where, "[]", "application/json", headers={"content-length": str(2**30)})),
            (
                413,
                self.client.post(
                    "/api/moves", "", "multipart/form-data", headers={"content-length": str(2**40)}
                ),
            ),
            (
                411,
                self.client.post(where, "[]", "application/json", headers={"transfer-encoding": "chunked"}),
            ),
            (411, self.client.post(where, "[]", "application/json", headers={"content-length": "-1"})),
        ):
            self.assertEqual(answer.status_code, status, answer.content)
            self.assertTrue(answer.json()["remedy"])
        self.assertEqual(Move.objects.count(), 1)

    def test_pages_run_our_scripts_alone_and_stand_in_no_frame(self) -> None:
        for path in ("/", "/api/moves"):
            answer = self.client.get(path)
            policy = dict(one.strip().split(" ", 1) for one in answer["Content-Security-Policy"].split(";"))
            self.assertEqual((policy["default-src"], policy["frame-ancestors"]), ("'self'", "'none'"))
            self.assertNotIn("script-src", policy)  # as the rest: from here alone, and none in the page
            self.assertEqual(
                (
                    answer["X-Frame-Options"],
                    answer["Cross-Origin-Resource-Policy"],
                    answer["X-Content-Type-Options"],
                ),
                ("DENY", "same-origin", "nosniff"),
            )
        page = b"".join(self.client.get("/").streaming_content)
        self.assertNotRegex(page, rb"<script(?![^>]*src=)")

    def test_what_is_kept_is_for_its_owner_from_the_start(self) -> None:
        with tempfile.TemporaryDirectory() as folder, override_settings(DATA_DIR=Path(folder) / "data"):
            path = blob_path(put_blob(b"a delivery"))
            for kept in (path, path.parent):
                self.assertEqual(stat.S_IMODE(kept.stat().st_mode) & 0o077, 0, kept)
        self.assertEqual(stat.S_IMODE((settings.DATA_DIR / "secret").stat().st_mode) & 0o077, 0)

    def test_the_settings_pass_the_framework_s_own_check(self) -> None:
        told = os.environ.pop("DJANGO_ALLOW_ASYNC_UNSAFE", None)  # set by the browser's driver, here alone
        try:
            call_command("check", deploy=True, fail_level="WARNING")
        finally:
            if told is not None:
                os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = told
