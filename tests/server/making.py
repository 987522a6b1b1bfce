"""Moves for server tests, read by running their job in the test's own thread."""

from __future__ import annotations

import json
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase

from server.moves.jobs import execute
from server.moves.models import Job
from tests.core.test_arrival import rich
from trasloco.formats.gltf_write import write_glb

GLB = write_glb(rich())


class ServerTest(TransactionTestCase):
    """Talks to the API as the front end does."""

    def ask(self, path: str, method: str = "GET", body: Any = None, expect: int = 200) -> Any:
        response = self.client.generic(
            method,
            f"/api{path}",
            json.dumps(body) if body is not None else "",
            content_type="application/json",
        )
        self.assertEqual(response.status_code, expect, response.content[:500])
        return json.loads(response.content) if response.content else None

    def upload(self, files: dict[str, bytes], expect: int = 200, path: str = "/moves", **fields: str) -> Any:
        data = {
            "files": [
                SimpleUploadedFile(name.rsplit("/", 1)[-1] or "x", content) for name, content in files.items()
            ],
            "paths": list(files),
            **fields,
        }
        response = self.client.post(f"/api{path}", data)
        self.assertEqual(response.status_code, expect, response.content[:500])
        return json.loads(response.content)

    def work(self) -> list[Job]:
        """Run every waiting job, oldest first."""
        done = []
        while (job := Job.objects.filter(state=Job.State.WAITING).order_by("id").first()) is not None:
            execute(job.id)
            job.refresh_from_db()
            done.append(job)
        return done

    def made(self, files: dict[str, bytes] | None = None, **fields: str) -> int:
        move = self.upload(files or {"rich.glb": GLB}, **fields)
        self.work()
        return int(move["id"])
