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


def clustered() -> bool:
    """Whether a cluster is set."""
    return bool(os.environ.get(SETTING))


def hands(threads: int = 0) -> Hands:
    """Who does long work. A cluster that does not answer is told in the log, and the work is done here.

    Args:
        threads: of this machine, 0 for one a processor. Whoever asks for one alone stays here.
    """
    address = os.environ.get(SETTING, "")
    if not address or threads == 1:
        return Threads(threads)
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
        found: Hands = _MET.get(whose) or Threads(threads)
        return found
