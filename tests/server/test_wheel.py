"""The wheel holds everything that is needed: installed elsewhere, without a checkout, it serves its pages and
knows its sheets.
"""

from __future__ import annotations

import json
import os
import re
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]


def _free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


def _got(address: str) -> str:
    with urllib.request.urlopen(address, timeout=5) as answer:
        return str(answer.read().decode())


class Wheel(TestCase):
    def test_it_serves_where_nothing_else_is(self) -> None:
        pip = [sys.executable, "-m", "pip", "--quiet", "--disable-pip-version-check"]
        with TemporaryDirectory() as folder:
            there = Path(folder)
            copy = there / "source"
            copy.mkdir()
            for name in (
                "trasloco",
                "server",
                "demo",
                "console",
                "setup.py",
                "pyproject.toml",
                "requirements.in",
            ):
                (copy / name).symlink_to(ROOT / name)
            (copy / "web").mkdir()
            (copy / "web" / "dist").symlink_to(ROOT / "web" / "dist")
            build = [*pip, "wheel", "--no-deps", "--no-build-isolation", "--wheel-dir", folder, str(copy)]
            subprocess.run(build, check=True, timeout=300)
            (made,) = there.glob("*.whl")
            subprocess.run(
                [*pip, "install", "--no-deps", "--target", str(there / "site"), str(made)], check=True
            )
            alone = {
                **os.environ,
                "PYTHONPATH": str(there / "site"),
                "XDG_DATA_HOME": str(there / "home"),
                "DJANGO_SETTINGS_MODULE": "server.project.settings",
            }
            alone.pop("TRASLOCO_DATA", None)
            run = [sys.executable, "-m", "console.command"]
            where = "import trasloco, server, console; print(trasloco.__file__, server.__file__, console.__file__)"
            found = subprocess.run(
                [sys.executable, "-c", where],
                cwd=folder,
                env=alone,
                capture_output=True,
                text=True,
                check=True,
            )
            self.assertEqual(found.stdout.count(str(there / "site")), 3, found.stdout)
            port = _free_port()
            serving = subprocess.Popen([*run, "serve", "--port", str(port)], cwd=folder, env=alone)
            try:
                self._pages(f"http://127.0.0.1:{port}")
            finally:
                serving.terminate()
                serving.wait(timeout=60)
            self.assertTrue((there / "home" / "trasloco" / "trasloco.sqlite3").is_file())

    def _pages(self, address: str) -> None:
        until = time.monotonic() + 120
        while True:
            try:
                self.assertIn("coming", json.loads(_got(f"{address}/api/session")))
                break
            except OSError:
                self.assertLess(time.monotonic(), until, "it never answered")
                time.sleep(0.3)
        page = _got(address)
        (script,) = re.findall(r'src="(/assets/index-[^"]+\.js)"', page)
        self.assertIn("Trasloco", page)
        self.assertGreater(len(_got(address + script)), 10_000)
        self.assertGreater(len(json.loads(_got(f"{address}/api/sheets"))), 3)
