"""Starts the web server and the worker, prints the address, keeps both running and stops them together:
``python -m server.run [--port N]``.
"""

from __future__ import annotations

import argparse
import signal
import sys
import time
import urllib.error
import urllib.request

from server.holding import HeldElsewhere, hold
from server.project import settings
from server.tending import Tended


def _answers(address: str) -> bool:
    try:
        with urllib.request.urlopen(f"{address}/api/sheets", timeout=2) as response:
            return bool(response.status == 200)
    except (urllib.error.URLError, OSError):
        return False


def main() -> int:
    parser = argparse.ArgumentParser(description="Serve Trasloco.")
    parser.add_argument("--port", type=int, default=8765)
    port = parser.parse_args().port
    address = f"http://127.0.0.1:{port}"
    if _answers(address):
        print(
            f"Port {port} is already in use by a running Trasloco: {address}\nStop it, or choose another: make demo PORT={port + 1}"
        )
        return 1
    try:
        held = hold(settings.DATA_DIR, "run", {"address": address})
    except HeldElsewhere as error:
        print(f"{error}\nStop it first, or set TRASLOCO_DATA to another folder.")
        return 1
    web = [
        sys.executable,
        "-m",
        "gunicorn",
        "server.project.wsgi",
        "--bind",
        f"127.0.0.1:{port}",
        "--workers",
        "1",
        "--threads",
        "8",
        "--timeout",
        "600",
        "--graceful-timeout",
        "2",
        "--log-level",
        "warning",
        "--no-control-socket",
    ]
    pages = Tended("web server", web)
    children = [pages, Tended("worker", [sys.executable, "manage.py", "work"], quiet=True)]
    for child in children:
        child.start()

    def stop(*_: object) -> None:
        for name in (signal.SIGTERM, signal.SIGINT):
            signal.signal(name, signal.SIG_IGN)  # asked once is enough
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    try:
        told = False
        while True:
            if not told and _answers(address):
                print(f"\nTrasloco is ready: {address}\nCtrl-C stops it.", flush=True)
                told = True
            if not told and pages.ended:
                print("The web server did not start; see above.", file=sys.stderr)
                return 1
            for child in children:
                child.tend()
            time.sleep(0.3)
    except KeyboardInterrupt:
        return 0
    finally:
        for child in children:
            child.stop()
        held.let_go()


if __name__ == "__main__":
    sys.exit(main())
