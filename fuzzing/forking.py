"""A process that is warm forks one for each case, with bounds on memory and time, and sees how it ended."""

from __future__ import annotations

import json
import os
import resource
import signal
import subprocess
import tempfile
import time
import traceback
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from trasloco import own_process
from trasloco.errors import Refused
from trasloco.own_ready import become

MOST_BYTES, MOST_S = 2**30, 10.0
_TIRED_MIB = 700.0


@dataclass(frozen=True)
class Outcome:
    """How a case ended: ``made``, ``refused``, ``crashed``, ``hung`` or ``flooded``, with what was said."""

    end: str
    said: str = ""
    seconds: float = 0.0
    mib: float = 0.0

    @property
    def good(self) -> bool:
        return self.end in ("made", "refused")


def whole_move(files: Mapping[str, bytes]) -> None:
    """A delivery through the move: received, surveyed, planned, carried, packed and read back."""
    from trasloco import move
    from trasloco.sheets.library import sheet_named

    source, destination = sheet_named("plain"), sheet_named("lanterna")
    received = move.receive(files)
    move.survey(received, source, destination)
    plan = move.plan(received.scene, source, destination)
    carried = move.carry(received.scene, plan, destination)
    arrival = move.arrive(move.package(carried, destination), destination)
    move.account(received.scene, arrival, carried.plan, destination, carried.scene)


def outcomes_of(cases: Sequence[Mapping[str, bytes]]) -> Iterator[Outcome]:
    """Each case in turn, in a forked process that goes on to the next until one ends it."""
    at = 0
    while at < len(cases):
        reading, writing = os.pipe()
        pid = os.fork()
        if pid == 0:
            os.close(reading)
            _serve(cases[at:], writing)
        os.close(writing)
        started, count = time.monotonic(), 0
        with os.fdopen(reading, "r", encoding="utf-8", errors="replace") as told:
            for line in told:
                yield Outcome(**json.loads(line))
                started, count = time.monotonic(), count + 1
        _, status, _ = os.wait4(pid, 0)
        at += count
        if at < len(cases) and not (os.WIFEXITED(status) and os.WEXITSTATUS(status) == 0):
            yield _ended_it(status, time.monotonic() - started)
            at += 1


def _ended_it(status: int, seconds: float) -> Outcome:
    """What is told of a case that ended its process."""
    ended_by = os.WTERMSIG(status) if os.WIFSIGNALED(status) else 0
    hung = ended_by in (signal.SIGALRM, signal.SIGXCPU)
    return Outcome("hung" if hung else "crashed", f"signal {ended_by}, exit {status >> 8}", seconds)


def _serve(cases: Sequence[Mapping[str, bytes]], writing: int) -> None:
    """In the forked process: a line for each case; never returns."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)  # libraries complain there
    own_process.RUN = _forked
    shared = _figure("VmRSS")  # of the process that forked it: no case asked for it
    for files in cases:
        Path("/proc/self/clear_refs").write_text("5")  # the peak counts from here
        most = _figure("VmSize") + MOST_BYTES
        resource.setrlimit(resource.RLIMIT_AS, (most, resource.RLIM_INFINITY))
        signal.alarm(int(MOST_S))
        started = time.monotonic()
        end, said = _case(files)
        signal.alarm(0)
        seconds, mib = time.monotonic() - started, (_figure("VmHWM") - shared) / 2**20
        if mib * 2**20 > MOST_BYTES:
            end = "flooded"
        told = json.dumps({"end": end, "said": said[-4000:], "seconds": seconds, "mib": mib})
        os.write(writing, f"{told}\n".encode("utf-8", "replace"))
        if mib > _TIRED_MIB:
            break  # memory that is not given back is not the next one's fault
    os._exit(0)


def _case(files: Mapping[str, bytes]) -> tuple[str, str]:
    try:
        whole_move(files)
        return "made", ""
    except Refused as refused:
        whole = all((refused.what, refused.where, refused.remedy))
        return ("refused", str(refused)) if whole else ("crashed", "refused without words")
    except BaseException:  # noqa: BLE001 - whatever it is, it is told
        return "crashed", traceback.format_exc()


def _figure(name: str) -> int:
    """A figure of this process in bytes."""
    text = Path("/proc/self/status").read_text()
    return int(next(line for line in text.splitlines() if line.startswith(name)).split()[1]) * 1024


def _forked(
    program: str, sent: bytes, bounds: Mapping[str, str], waiting: float
) -> subprocess.CompletedProcess[bytes]:
    """A program run in a fork of this process, as it would be started afresh."""
    with (
        tempfile.TemporaryFile() as given,
        tempfile.TemporaryFile() as made,
        tempfile.TemporaryFile() as told,
    ):
        given.write(sent)
        given.seek(0)
        pid = os.fork()
        if pid == 0:
            signal.alarm(int(waiting))
            become(program, bounds, [file.fileno() for file in (given, made, told)])
        _, status = os.waitpid(pid, 0)
        made.seek(0)
        told.seek(0)
        code = -os.WTERMSIG(status) if os.WIFSIGNALED(status) else os.WEXITSTATUS(status)
        return subprocess.CompletedProcess(program, code, made.read(), told.read())
