"""Starts the web server and the worker, prints the address, and stops both together: ``python -m server.run
[--port N]``.
"""

from __future__ import annotations

import argparse
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request


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
    children = [
        subprocess.Popen(web),
        subprocess.Popen([sys.executable, "manage.py", "work"], stdout=subprocess.DEVNULL),
    ]

    def stop(*_: object) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    try:
        told = False
        while all(child.poll() is None for child in children):
            if not told and _answers(address):
                print(f"\nTrasloco is ready: {address}\nCtrl-C stops it.", flush=True)
                told = True
            time.sleep(0.3)
        print("A process ended by itself; stopping the other.", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 0
    finally:
        for child in children:
            if child.poll() is None:
                child.terminate()
        for child in children:
            try:
                child.wait(8)
            except subprocess.TimeoutExpired:
                child.kill()


if __name__ == "__main__":
    sys.exit(main())
