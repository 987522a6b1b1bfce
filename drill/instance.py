"""A whole instance in a folder of its own, asked over HTTP on loopback, whose processes can be killed."""

from __future__ import annotations

import contextlib
import http.client
import json
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import uuid
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
BOUND = ("setpriv", "--bounding-set", "-dac_override,-dac_read_search", "--") if os.geteuid() == 0 else ()
"""What makes a process of root obey the rights of files."""
ENDED = ("done", "cancelled", "refused", "stopped")


def obeys_rights() -> bool:
    """Whether a process that is started with :data:`BOUND` obeys the rights of files."""
    try:
        return subprocess.run([*BOUND, "true"], capture_output=True).returncode == 0
    except OSError:
        return False


class Away(Exception):
    """Nobody answered: allowed just after a process was killed, never otherwise."""


@dataclass
class Instance:
    """``python -m server.run`` on a free port. ``statuses`` counts every answer's status."""

    data: Path
    port: int
    statuses: dict[int, int] = field(default_factory=dict)
    wrong: list[str] = field(default_factory=list)
    """What was answered with 500 and more, but for 503 and 507, which say what is the matter."""
    bound_by_rights: bool = False
    """Whether it obeys the rights of files even where everything here is run by root."""
    process: subprocess.Popen[bytes] | None = None
    _guard: threading.Lock = field(default_factory=threading.Lock)

    def start(self) -> None:
        self.data.mkdir(parents=True, exist_ok=True)
        log = (self.data.parent / f"{self.data.name}.log").open("ab")
        self.process = subprocess.Popen(
            [
                *(BOUND if self.bound_by_rights else ()),
                sys.executable,
                "-m",
                "server.run",
                "--port",
                str(self.port),
            ],
            cwd=ROOT,
            env=self.environment(),
            stdout=log,
            stderr=log,
        )
        log.close()
        self.wait_until_it_answers(90)

    def environment(self) -> dict[str, str]:
        return {**os.environ, "TRASLOCO_DATA": str(self.data), "TRASLOCO_LONGEST_PAUSE_S": "0.3"}

    def stop(self) -> None:
        if self.process is not None:
            self.process.terminate()
            self.process.wait(30)

    def wait_until_it_answers(self, seconds: float = 60) -> float:
        """Seconds until it answered. Raises Away when it does not."""
        started = time.monotonic()
        while time.monotonic() - started < seconds:
            with contextlib.suppress(Away):
                if self.ask("/session")[0] == 200:
                    return time.monotonic() - started
            time.sleep(0.1)
        raise Away

    def ask(
        self,
        path: str,
        method: str = "GET",
        body: Any = None,
        raw: bytes | None = None,
        kind: str = "application/json",
    ) -> tuple[int, Any]:
        """Status and answer: JSON where it is such, bytes otherwise. Raises Away."""
        data = raw if raw is not None else json.dumps(body).encode() if body is not None else b""
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=90)
        try:
            connection.request(method, f"/api{path}", data, {"Content-Type": kind})
            answer = connection.getresponse()
            made, status = answer.read(), answer.status
            is_json = "json" in (answer.getheader("Content-Type") or "")
        except (OSError, http.client.HTTPException) as error:
            raise Away from error
        finally:
            connection.close()
        with self._guard:
            self.statuses[status] = self.statuses.get(status, 0) + 1
            if status >= 500 and status not in (503, 507):
                self.wrong.append(f"{status} {method} {path} {made[:200]!r}")
        return status, json.loads(made) if is_json and made else made

    def upload(self, files: dict[str, bytes], path: str = "/moves", **fields: str) -> tuple[int, Any]:
        """Send files as the front end does."""
        line = uuid.uuid4().hex
        parts = [
            f'--{line}\r\nContent-Disposition: form-data; name="{name}"\r\n\r\n{value}\r\n'.encode()
            for name, value in (*fields.items(), *(("paths", name) for name in files))
        ]
        for name, data in files.items():
            head = f'--{line}\r\nContent-Disposition: form-data; name="files"; filename="{name}"\r\n\r\n'
            parts.append(head.encode() + data + b"\r\n")
        body = b"".join(parts) + f"--{line}--\r\n".encode()
        return self.ask(path, "POST", raw=body, kind=f"multipart/form-data; boundary={line}")

    def ended(self, job: int, seconds: float = 240) -> dict[str, Any]:
        """A job when it has ended. Raises TimeoutError where it is stuck."""
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            with contextlib.suppress(Away):
                status, told = self.ask(f"/jobs/{job}")
                if status == 200 and told["state"] in ENDED:
                    return dict(told)
            time.sleep(0.1)
        raise TimeoutError(f"job {job} is stuck")

    def received(self, files: dict[str, bytes], **fields: str) -> int:
        """A new move, read."""
        status, move = self.upload(files, **fields)
        assert status == 200, move
        state = self.ended(move["job"]["id"])
        assert state["state"] == "done", state
        return int(move["id"])

    def well_again(self, move: int, level: float, seconds: float = 30) -> bool:
        """Whether it takes this level as a decision and has all its processes within some seconds: one that
        could not write has ended, and is started anew.
        """
        said = [{"target": "environment", "field": "level", "value": level}]
        taken, until = False, time.monotonic() + seconds
        while time.monotonic() < until:
            taken = taken or self.ask(f"/moves/{move}/decisions", "POST", said)[0] == 200
            if taken and all(self.processes()[name] for name in ("web", "work", "lane")):
                return True
            time.sleep(0.1)
        return False

    def processes(self) -> dict[str, list[int]]:
        """Its processes by what they do: ``run``, ``web``, ``work``, ``lane``."""
        assert self.process is not None
        found: dict[str, list[int]] = {"run": [self.process.pid], "web": [], "work": [], "lane": []}
        for pid in _below(self.process.pid):
            with contextlib.suppress(OSError):
                words = Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
                for name, mark in (("web", b"server.project.wsgi"), ("work", b"work"), ("lane", b"lane")):
                    if mark in words:
                        found[name].append(pid)
        return found

    def kill(self, what: str) -> int:
        """Kill -9 everything of a kind; how many."""
        killed = 0
        for pid in self.processes()[what]:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
                killed += 1
        return killed


def _below(pid: int) -> Iterator[int]:
    with contextlib.suppress(OSError):
        for child in Path(f"/proc/{pid}/task/{pid}/children").read_text().split():
            yield int(child)
            yield from _below(int(child))


def processes_of(data: Path) -> list[int]:
    """Every lane on this machine that works in a data folder, whoever started it."""
    found = []
    for place in Path("/proc").glob("[0-9]*"):
        with contextlib.suppress(OSError):
            if b"lane" not in (place / "cmdline").read_bytes().split(b"\0"):
                continue
            if f"TRASLOCO_DATA={data}".encode() in (place / "environ").read_bytes().split(b"\0"):
                found.append(int(place.name))
    return found


def free_port() -> int:
    """A port that nobody listens on now."""
    with socket.socket() as asked:
        asked.bind(("127.0.0.1", 0))
        return int(asked.getsockname()[1])
