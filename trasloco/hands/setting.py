"""Whose hands do long work: those of this machine, or of the cluster that one setting names."""

from __future__ import annotations

import logging
import os
import threading
import time
from typing import Any

from trasloco.errors import Refused
from trasloco.hands.model import SETTING, Hands
from trasloco.hands.threads import Threads

_AGAIN = 30
"""Seconds after which a cluster that did not answer is asked again."""
_LOG = logging.getLogger(__name__)
_LOCK = threading.Lock()
_MET: dict[tuple[int, str], Any] = {}
_AWAY: dict[tuple[int, str], float] = {}


def hands(threads: int = 0) -> Hands:
    """Who does long work: the cluster, or threads of this machine.

    Args:
        threads: 0 for one a processor. Whoever asks for one alone stays here.
    """
    return (None if threads == 1 else cluster()) or Threads(threads)


def cluster() -> Hands | None:
    """The cluster that is set, None where there is none. One that does not answer is told in the log."""
    address = os.environ.get(SETTING, "")
    if not address:
        return None
    whose = os.getpid(), address  # a copy of this process has no connection of its own
    with _LOCK:
        if whose in _MET and not _MET[whose].answers:
            del _MET[whose]
        if whose not in _MET and time.monotonic() >= _AWAY.get(whose, 0.0):
            from trasloco.hands.cluster import Cluster  # loaded only where there is one

            try:
                _MET[whose] = Cluster(address)
            except Refused as refused:
                _LOG.warning("%s Work is done on this machine.", refused)
                _AWAY[whose] = time.monotonic() + _AGAIN
        return _MET.get(whose)
