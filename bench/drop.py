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

ASKED_EVERY_S = 0.05
LONGEST_S = 600.0


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


def stages(page: Page, name: str, content: bytes) -> dict[str, float]:
    """Seconds from the sending of a delivery until each thing is there for the page."""
    started = time.perf_counter()
    told: dict[str, float] = {}

    def there(what: str) -> None:
        told[what] = time.perf_counter() - started

    move = page.send(name, content, {"paths": name, "destination": "lanterna"})["id"]
    there("sent")
    here = f"/api/moves/{move}"
    page.until(f"{here}/inventory", lambda told: told["parts"])
    there("parts")
    view = page.until(f"{here}/inventory", lambda told: told.get("view"))
    page.ask(f"/api/blobs/{view}.glb")
    there("view")
    page.until(f"{here}/inventory", lambda told: told["surveyed"])
    there("findings")
    page.until(f"{here}/fit", lambda told: told["measured"])
    there("marks")
    job = page.ask(f"{here}/jobs", {"kind": "prove", "settings": {"width": 480, "height": 270}})["id"]
    page.until(f"/api/jobs/{job}", lambda told: told["result"].get("pictures"))
    there("first picture of the proof")

    def ended(told: Any) -> bool:
        if told["state"] in ("refused", "stopped"):
            raise RuntimeError(f"{told}")
        return bool(told["state"] == "done")

    page.until(f"/api/jobs/{job}", ended)
    there("proof")
    proof = page.ask(f"{here}/proofs")
    print(json.dumps(proof, default=str)[:1500], file=sys.stderr)
    return told


if __name__ == "__main__":
    with serving() as page:
        print("ready", file=sys.stderr)
        data = open("/tmp/received.zip", "rb").read()
        print(json.dumps(stages(page, "received.zip", data), indent=1))
        time.sleep(6)
        import io
        import zipfile

        again = io.BytesIO(data)
        with zipfile.ZipFile(again, "a") as more:
            more.writestr("read_me_too.txt", "again")
        print(json.dumps(stages(page, "received.zip", again.getvalue()), indent=1))
