"""From the drop to a proof: a server of its own, asked as the pages ask it, with the clock running from the
moment the delivery is sent.
"""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from bench.report import Benchmark
from bench.size import received, sized

ASKED_EVERY_S = 0.25
"""Twice as often as pages do: each answer takes of the processors that the work goes on with."""
LONGEST_S = 600.0
RESTED_S = sized(8, 1)
"""After something else was done: what makes that better known by itself is at work, and has to be left first."""


class Page:
    """Asks a server as a page does."""

    def __init__(self, address: str) -> None:
        self.address = address

    def ask(self, path: str, body: Any = None) -> Any:
        """An answer of the API; None where it is not there yet."""
        data = None if body is None else json.dumps(body).encode()
        return self._answer(
            urllib.request.Request(self.address + path, data, {"content-type": "application/json"})
        )

    def send(self, name: str, content: bytes, fields: dict[str, str]) -> Any:
        """A new move with a file as its delivery."""
        mark = "-the-files-end-here-"
        parts = [
            f'--{mark}\r\ncontent-disposition: form-data; name="{key}"\r\n\r\n{value}\r\n'.encode()
            for key, value in fields.items()
        ]
        parts += [
            f'--{mark}\r\ncontent-disposition: form-data; name="files"; filename="{name}"\r\n\r\n'.encode(),
            content,
        ]
        body = b"".join([*parts, f"\r\n--{mark}--\r\n".encode()])
        kind = {"content-type": f"multipart/form-data; boundary={mark}"}
        return self._answer(urllib.request.Request(f"{self.address}/api/moves", body, kind))

    def _answer(self, request: urllib.request.Request) -> Any:
        try:
            with urllib.request.urlopen(request, timeout=LONGEST_S) as answer:
                data = answer.read()
                told = answer.headers.get("content-type", "")
                return json.loads(data) if told.startswith("application/json") else data
        except urllib.error.HTTPError as error:
            if error.code in (404, 409, 422):
                return None
            raise RuntimeError(f"{request.full_url}: {error.read()[:300]!r}") from error

    def until(self, path: str, ready: Callable[[Any], Any]) -> Any:
        """Ask until the answer is ``ready``; what that says."""
        over = time.perf_counter() + LONGEST_S
        while time.perf_counter() < over:
            answer = self.ask(path)
            if answer is not None and (found := ready(answer)):
                return found
            time.sleep(ASKED_EVERY_S)
        raise RuntimeError(f"{path} was not ready in {LONGEST_S:.0f} s")


@contextmanager
def serving() -> Iterator[Page]:
    """A server on a folder of its own, its lanes ready."""
    with tempfile.TemporaryDirectory() as folder, socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
        free.close()
        env = {**os.environ, "TRASLOCO_DATA": folder}
        server = subprocess.Popen(
            [sys.executable, "-m", "server.run", "--port", str(port)],
            env=env,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        page = Page(f"http://127.0.0.1:{port}")
        try:
            over = time.perf_counter() + LONGEST_S
            while True:
                try:
                    page.until("/api/session", lambda told: not told.get("coming"))
                    break
                except (urllib.error.URLError, ConnectionError):
                    if time.perf_counter() > over or server.poll() is not None:
                        raise
                    time.sleep(0.1)
            yield page
        finally:
            server.terminate()
            server.wait()


SETTINGS = {"width": sized(480, 64), "height": sized(270, 36), "samples": sized(1024, 2), "within": 0.3}
"""Of the proof: until its subject is known to ± 0.3 ΔE, and the worst material to ± 2."""


def stages(page: Page, name: str, content: bytes) -> dict[str, float]:
    """Seconds from the sending of a delivery until each thing is there for the page."""
    started = time.perf_counter()
    told: dict[str, float] = {}

    def there(what: str) -> None:
        told[what] = time.perf_counter() - started

    def ended(job: Any) -> bool:
        if job["state"] in ("refused", "stopped"):
            raise RuntimeError(f"{job}")
        return bool(job["state"] == "done")

    move = page.send(name, content, {"paths": name, "destination": "lanterna"})["id"]
    there("sent")
    here = f"/api/moves/{move}"
    view = page.until(f"{here}/inventory", lambda told: told["parts"] and told.get("view"))
    page.ask(f"/api/blobs/{view}.glb")
    there("parts")
    page.until(f"{here}/inventory", lambda told: told["surveyed"])
    there("findings")
    page.until(f"{here}/fit", lambda told: told["measured"])
    there("marks")
    job = page.ask(f"{here}/jobs", {"kind": "prove", "settings": SETTINGS})["id"]
    page.until(f"/api/jobs/{job}", ended)
    there("proof")
    return told


def alone(name: str, content: bytes) -> dict[str, float]:
    """The same by the verbs alone, one after the other in a process that has everything at hand."""
    from trasloco.results import proving
    from trasloco.results.in_memory import route_of
    from trasloco.results.pictures import view_glb
    from trasloco.sheets.library import sheet_named

    told: dict[str, float] = {}
    for called, data in (warming(), (name, content)):
        started = time.perf_counter()
        route = route_of({called: data}, sheet_named("plain"), sheet_named("lanterna"), [])
        view_glb(route)
        told["parts"] = time.perf_counter() - started
        route.findings()
        told["findings"] = time.perf_counter() - started
        route.plan()
        told["marks"] = time.perf_counter() - started
        asked = proving.asked_of(route, SETTINGS)
        proving.pictures_of(proving.prove(route, asked, lambda *_: None, lambda *_: None))
        told["proof"] = time.perf_counter() - started
    return told


def warming() -> tuple[str, bytes]:
    """Something small that goes first: an application that has been up for a while is measured."""
    from tests.core.test_arrival import rich
    from trasloco.formats.gltf_write import write_glb

    return "rich.glb", write_glb(rich())


WORDS = {
    "parts": "parts and their shapes on screen",
    "findings": "all findings",
    "marks": "the plan with its marks",
    "proof": f"a proof, {SETTINGS['width']} x {SETTINGS['height']}, to ± {SETTINGS['within']}",
}


def run() -> list[Benchmark]:
    name, content = received()
    with serving() as page:
        stages(page, *warming())
        time.sleep(RESTED_S)
        told = stages(page, name, content)
    bare = alone(name, content)
    yardstick = "the verbs alone, in a process that has everything at hand"
    return [
        Benchmark(f"from the drop to {words}", told[key], "s", yardstick, bare[key], 1.3)
        for key, words in WORDS.items()
    ]
