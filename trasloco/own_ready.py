"""A process that stands ready with what programs need already loaded, and forks itself for each that is asked
for: starting costs milliseconds, where an interpreter and its libraries take the better part of a second.

Only modules are loaded in it. What a delivery holds is met by its forks, each of which ends by itself.
"""

from __future__ import annotations

import atexit
import contextlib
import importlib
import json
import os
import resource
import runpy
import selectors
import signal
import socket
import subprocess
import sys
import threading
import warnings
from collections.abc import Mapping, Sequence
from typing import Any, NoReturn

Done = subprocess.CompletedProcess[bytes]
_IDLE_S = 900.0
"""After so long without being asked it leaves; the next one who asks starts another."""
_LEAVING_S = 10.0


class Ready:
    """The side that asks. Made at no cost; the process is started when the first program is run."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._channel: socket.socket | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._owner = 0

    def run(self, program: str, sent: bytes, bounds: Mapping[str, str], waiting: float) -> Done:
        """``python -m program`` with ``sent`` as its input and ``bounds`` among its surroundings.

        Raises:
            subprocess.TimeoutExpired: it took longer than ``waiting`` seconds by the clock, and was ended.
        """
        with contextlib.ExitStack() as held:
            files = [held.enter_context(os.fdopen(os.memfd_create(n), "r+b")) for n in ("in", "out", "err")]
            files[0].write(sent)
            files[0].seek(0)
            asked = json.dumps([program, dict(bounds)]).encode()
            for _ in range(2):  # the one that stood ready may have left, or been ended
                code = self._asked(asked, [file.fileno() for file in files], waiting)
                if code is not None:
                    break
            for file in files[1:]:
                file.seek(0)
            return Done(program, 1 if code is None else code, files[1].read(), files[2].read())

    def _asked(self, asked: bytes, files: list[int], waiting: float) -> int | None:
        """How the program ended; None where there is nobody who could run it."""
        channel = self._there()
        mine, other = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with mine:
            mine.settimeout(waiting)
            try:
                with other:
                    socket.send_fds(channel, [asked], [*files, other.fileno()])
                told = mine.recv(64)
            except TimeoutError:
                raise subprocess.TimeoutExpired(asked.decode(), waiting) from None
            except OSError:
                told = b""
        if not told:
            self._let_go(channel)
        return int(told) if told else None

    def _there(self) -> socket.socket:
        """The way to the process that stands ready for this one, started where there is none."""
        with self._guard:
            if self._channel is None or self._owner != os.getpid():
                self._channel, other = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
                with other:
                    self._process = subprocess.Popen(
                        [sys.executable, "-m", __name__, str(other.fileno())],
                        stdin=subprocess.DEVNULL,
                        pass_fds=[other.fileno()],
                        env={**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"},
                    )
                self._owner = os.getpid()
                atexit.register(self.leave)
            return self._channel

    def leave(self) -> None:
        """Let the process go."""
        if self._channel is not None:
            self._let_go(self._channel)

    def _let_go(self, channel: socket.socket) -> None:
        """Of the process at the end of a channel, where it is this one's and still the one that is asked."""
        with self._guard:
            if self._channel is channel and self._owner == os.getpid():
                channel.close()
                assert self._process is not None
                try:
                    self._process.wait(timeout=_LEAVING_S)
                except subprocess.TimeoutExpired:
                    self._process.kill()
                    self._process.wait()
                self._channel = self._process = None


def _serve(channel: socket.socket) -> None:
    """Fork for each program that is asked for, until nobody asks any more. One whose asker gave up is ended."""
    running: dict[int, tuple[int, socket.socket]] = {}
    with selectors.DefaultSelector() as waiting:
        waiting.register(channel, selectors.EVENT_READ)
        while True:
            told = waiting.select(_IDLE_S)
            if not told and not running:
                return
            for key, _ in told:
                if key.fileobj is channel:
                    asked, files, _, _ = socket.recv_fds(channel, 65536, 4)
                    if not asked:
                        for pid, _ in running.values():
                            os.kill(pid, signal.SIGKILL)
                        return
                    program, bounds = json.loads(asked)
                    pid = _forked(program, bounds, files[:3])
                    ended, asker = os.pidfd_open(pid), socket.socket(fileno=files[3])
                    running[ended] = pid, asker
                    waiting.register(ended, selectors.EVENT_READ)
                    waiting.register(asker, selectors.EVENT_READ, pid)
                elif key.data is not None:  # nobody waits for it any more
                    os.kill(key.data, signal.SIGKILL)
                    waiting.unregister(key.fileobj)
                elif key.fd in running:
                    pid, asker = running.pop(key.fd)
                    _, status = os.waitpid(pid, 0)
                    with contextlib.suppress(OSError):
                        asker.send(str(os.waitstatus_to_exitcode(status)).encode())
                    with contextlib.suppress(KeyError):
                        waiting.unregister(asker)
                    asker.close()
                    waiting.unregister(key.fd)
                    os.close(key.fd)


def _forked(program: str, bounds: Mapping[str, str], files: list[int]) -> int:
    """The process id of a program that runs in a fork of this one."""
    with contextlib.suppress(Exception):  # what cannot be loaded is told by the program itself
        importlib.import_module(program)
    pid = os.fork()
    if pid == 0:
        become(program, bounds, files)
    for file in files:
        os.close(file)
    return pid


def become(program: str, bounds: Mapping[str, str], files: Sequence[int]) -> NoReturn:
    """Run a program in this fork, as if it had been started afresh, and end. ``files`` are what it reads, writes,
    and complains to.
    """
    try:
        signal.signal(signal.SIGINT, signal.SIG_DFL)
        for number, file in enumerate(files):
            os.dup2(file, number)
        os.closerange(3, 4096)
        os.environ |= bounds
        sys.stdin, sys.stdout, sys.stderr = (os.fdopen(n, mode) for n, mode in enumerate("rww"))
        sys.argv = [program]
        warnings.simplefilter("ignore", RuntimeWarning)  # that its module was loaded before
        runpy.run_module(program, run_name="__main__", alter_sys=True)
        sys.stdout.flush()
        os._exit(0)
    except BaseException as error:  # noqa: BLE001 - it is told in one line, like any other
        with contextlib.suppress(Exception):
            print(f"{type(error).__name__}: {error}", file=sys.stderr, flush=True)
    finally:
        os._exit(1)


def _main(fd: str) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever asks hears it, and lets go
    for kind in (resource.RLIMIT_AS, resource.RLIMIT_CPU):  # of what is being read by whoever asks
        hard: Any = resource.getrlimit(kind)[1]
        resource.setrlimit(kind, (hard, hard))
    importlib.import_module("trasloco.own_process")
    with socket.socket(fileno=int(fd)) as channel:
        _serve(channel)


if __name__ == "__main__":
    _main(sys.argv[1])
