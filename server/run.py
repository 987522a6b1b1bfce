"""Starts the web server and the worker, prints the address, keeps both running and stops them together:
``python -m server.run [--port N] [--host ADDRESS]``.
"""

from __future__ import annotations

import argparse
import ipaddress
import os
import shutil
import signal
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

import django

from server.address import DEMO_HELP, HERE, HOST_HELP, PORT
from server.coming import DEMO, KERNELS, Coming
from server.holding import HeldElsewhere, hold
from server.tending import Tended
from trasloco.errors import Refused
from trasloco.results.in_common import texels_in_common


def main() -> int:
    parser = argparse.ArgumentParser(description="Serve Trasloco.")
    parser.add_argument("--port", type=int, default=PORT)
    parser.add_argument("--host", default=HERE, help=HOST_HELP)
    parser.add_argument("--demo", action="store_true", help=DEMO_HELP)
    asked = parser.parse_args()
    return serve(asked.host, asked.port, asked.demo)


def serve(host: str, port: int, demo: bool = False) -> int:
    """Serve until stopped; the exit code. With ``demo``, deliveries to try it with are made beside."""
    if not _is_here(host):
        os.environ["TRASLOCO_ACCOUNTS"] = "1"
        named = os.environ.get("TRASLOCO_HOSTS", "127.0.0.1,localhost,[::1]")
        os.environ["TRASLOCO_HOSTS"] = named if host in ("0.0.0.0", "::") else f"{named},{host}"
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
    address = f"http://{host if host not in ('0.0.0.0', '::') else HERE}:{port}"
    if _answers(address):
        print(
            f"Port {port} is already in use by a running Trasloco: {address}\n"
            f"Stop it, or choose another, for example {port + 1}."
        )
        return 1
    from server.project import settings

    try:
        held = hold(settings.DATA_DIR, "run", {"address": address})
    except HeldElsewhere as error:
        print(f"{error}\nStop it first, or set TRASLOCO_DATA to another folder.")
        return 1
    except OSError as error:
        return _told(_fault(error))
    try:
        _prepare(settings.DATA_DIR, settings.ACCOUNTS)
    except Refused as refused:
        return _told(refused)
    except OSError as error:
        return _told(_fault(error))
    try:
        coming = Coming(settings.DATA_DIR, [KERNELS, DEMO] if demo else [KERNELS])
        with texels_in_common(str(settings.DATA_DIR.resolve())):
            return _keep_running(address, f"{host}:{port}", coming)
    finally:
        held.let_go()


def _fault(error: OSError) -> Refused:
    """What is the matter with the data folder. Raises the error where it is ours."""
    from server.moves.faults import fault_of

    fault = fault_of(error)
    if fault is None:
        raise error
    return fault.told


def _told(refused: Refused) -> int:
    print(f"{refused.what}\n  where: {refused.where}\n  what to do: {refused.remedy}", file=sys.stderr)
    return 1


def _is_here(host: str) -> bool:
    """Whether an address is this computer's own."""
    try:
        return host == "localhost" or ipaddress.ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return False


def _prepare(data: Path, accounts: bool) -> None:
    """Make the data folder ready. Raises Refused where it cannot be served."""
    from server.soundness import check_database

    django.setup()
    from django.core.management import call_command

    check_database(data)
    call_command("migrate", verbosity=0)
    shutil.rmtree(data / "incoming", ignore_errors=True)
    (data / "incoming").mkdir(exist_ok=True)
    if accounts:
        from django.contrib.auth.models import User

        if not User.objects.filter(is_active=True).exists():
            raise Refused(
                "Whoever can reach this address would have to sign in, and nobody can.",
                str(data),
                "Add somebody first: trasloco user add NAME --admin",
            )


def _keep_running(address: str, bound: str, coming: Coming) -> int:
    web = [sys.executable, "-m", "gunicorn", "server.project.wsgi", "--bind", bound]
    web += ["--config", "python:server.project.serving", "--no-control-socket"]
    pages = Tended("web server", web)
    worker = Tended("worker", [sys.executable, "-m", "django", "work", "--with-parent"])
    children: list[Tended | Coming] = [pages, worker, coming]
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


def _answers(address: str) -> bool:
    try:
        with urllib.request.urlopen(f"{address}/api/session", timeout=2) as response:
            return bool(response.status == 200)
    except (urllib.error.URLError, OSError):
        return False


if __name__ == "__main__":
    sys.exit(main())
