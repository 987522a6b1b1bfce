"""``trasloco worker``."""

from __future__ import annotations

import sys

from trasloco.hands.worker import serve


def work_for(address: str, threads: int) -> None:
    """Do pieces of work for a cluster until it ends."""

    def heard(own: str) -> None:
        print(f"Works for {address}, answers at {own}. Ctrl-C stops it.", file=sys.stderr, flush=True)

    serve(address, threads, heard)
