"""The whole work in a child of this process, so that the end of a reader is a refusal too."""

from __future__ import annotations

import os
import signal
import sys
from collections.abc import Callable

from trasloco.errors import Refused

_ENDING = frozenset({signal.SIGTERM})


def in_a_child(work: Callable[[], object]) -> None:
    """Do something in a child of this process and leave with its exit code.

    Raises:
        Refused: the child was ended by the system (out of memory or time, a fault in a decoder).
    """
    sys.stdout.flush()
    sys.stderr.flush()
    signal.pthread_sigmask(signal.SIG_BLOCK, _ENDING)  # until it is known whom to pass it on to
    child = os.fork()
    if child == 0:
        signal.pthread_sigmask(signal.SIG_UNBLOCK, _ENDING)
        work()
        sys.exit(0)
    asked = []

    def pass_on(*_: object) -> None:
        asked.append(True)
        os.kill(child, signal.SIGTERM)

    before = signal.signal(signal.SIGTERM, pass_on)
    signal.pthread_sigmask(signal.SIG_UNBLOCK, _ENDING)
    try:
        _, ended = os.waitpid(child, 0)
    except KeyboardInterrupt:  # the child hears it too, and ends in its own way
        os.waitpid(child, 0)
        sys.exit(130)
    finally:
        signal.signal(signal.SIGTERM, before)
    code = os.waitstatus_to_exitcode(ended)
    if code >= 0 or asked:
        sys.exit(code if code >= 0 else 128 - code)
    raise Refused(
        f"Reading and working were ended by the system ({signal.Signals(-code).name}).",
        "delivery",
        "Send less at once, or write the file anew from the program it came from.",
    )
