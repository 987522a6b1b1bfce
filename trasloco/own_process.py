"""Native decoders run in a process of their own: a fault, a hang or a flood of memory there ends that
process, never ours.

A program is a module with ``serve(answer)`` under its main guard; ``answer`` takes named arrays and gives
named arrays back.
"""

from __future__ import annotations

import contextlib
import io
import os
import resource
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.limits import LIMITS
from trasloco.own_ready import Done, Ready

Arrays = Mapping[str, npt.NDArray[Any]]
_SECONDS, _BYTES, _WAITING = "TRASLOCO_APART_SECONDS", "TRASLOCO_APART_BYTES", 5


@contextlib.contextmanager
def bounded(more_bytes: int = LIMITS.apart_bytes, seconds: int = LIMITS.reading_seconds) -> Iterator[None]:
    """This process takes at most so many more bytes of memory, and works at most so many more seconds, while
    a delivery is read in it. For a process that does one thing at a time and whose end somebody sees.

    Memory beyond that is a ``MemoryError`` where Python asks for it, and ends the process where a library
    does; time beyond that ends the process (``SIGXCPU``).
    """
    used = resource.getrusage(resource.RUSAGE_SELF)
    bounds = (
        (resource.RLIMIT_AS, _address_space() + more_bytes),
        (resource.RLIMIT_CPU, int(used.ru_utime + used.ru_stime) + seconds),
    )
    before = [(kind, resource.getrlimit(kind)) for kind, _ in bounds]
    try:
        for kind, most in bounds:
            soft, hard = resource.getrlimit(kind)
            held = [most] + [one for one in (soft, hard) if one != resource.RLIM_INFINITY]
            resource.setrlimit(kind, (min(held), hard))
        yield
    finally:
        for kind, limits in before:
            resource.setrlimit(kind, limits)


def _address_space() -> int:
    """Bytes of address space that this process has."""
    with open("/proc/self/statm") as file:
        return int(file.read().split()[0]) * resource.getpagesize()


def run_apart(
    program: str,
    sent: Arrays,
    what: str,
    where: str,
    remedy: str,
    seconds: float = 60,
    tries: int = 1,
    most_bytes: int = LIMITS.apart_bytes,
) -> dict[str, npt.NDArray[Any]]:
    """Arrays in, arrays out, by ``python -m program``.

    Raises:
        Refused: ``what`` at ``where``, with ``remedy``, when the program fails, dies or works longer than
            ``seconds``, or takes more than ``most_bytes`` of memory, in every try. Seconds of work are counted,
            so that a busy machine refuses nothing; one that waits for ever is ended after :data:`_WAITING`
            times as long.
    """
    packed = io.BytesIO()
    np.savez(packed, **{key: np.asarray(value) for key, value in sent.items()})  # type: ignore[arg-type]
    said = ""
    for _ in range(tries):
        said = f"it took longer than {seconds:g} s"
        with contextlib.suppress(subprocess.TimeoutExpired):
            done = RUN(program, packed.getvalue(), bounds_of(seconds, most_bytes), _WAITING * seconds)
            if done.returncode == -signal.SIGXCPU:
                continue
            if done.returncode == 0:
                with np.load(io.BytesIO(done.stdout), allow_pickle=False) as made:
                    return {key: made[key] for key in made.files}
            said = (
                done.stderr.decode("utf-8", "replace").strip().rsplit("\n", 1)[-1][:160]
                if done.returncode == 1
                else ""
            )
    raise Refused(f"{what}{f' ({said})' if said else ''}.", where, remedy)


def bounds_of(seconds: float, most_bytes: int) -> dict[str, str]:
    """What a program is told of its bounds by its surroundings."""
    return {_SECONDS: str(max(int(seconds), 1)), _BYTES: str(most_bytes)}


Run = Callable[[str, bytes, Mapping[str, str], float], Done]
RUN: Run = Ready().run
"""How programs are run; whoever is a fork itself, and tries very many, may fork them from where it stands."""


def serve(answer: Callable[[Arrays], Arrays]) -> None:
    """The other side: read arrays, bound the memory, answer, and leave at once.

    A ``ValueError`` is told in one line.
    """
    most = min(_address_space() + int(os.environ.get(_BYTES, LIMITS.apart_bytes)), LIMITS.apart_bytes)
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_AS, (most, most))
        seconds = int(os.environ.get(_SECONDS, "0"))
        if seconds:
            resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 2))
    with np.load(io.BytesIO(sys.stdin.buffer.read()), allow_pickle=False) as given:
        sent = {key: given[key] for key in given.files}
    try:
        made = answer(sent)
    except (ValueError, RuntimeError, MemoryError, OSError) as error:
        print(f"{error}" or type(error).__name__, file=sys.stderr)
        sys.stderr.flush()
        os._exit(1)
    packed = io.BytesIO()
    np.savez(packed, **{key: np.asarray(value) for key, value in made.items()})  # type: ignore[arg-type]
    sys.stdout.buffer.write(packed.getvalue())
    sys.stdout.flush()
    os._exit(0)  # what was made is out; a library's own threads need not be waited for
