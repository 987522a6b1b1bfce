"""No artist waits for a compiler: what is compiled ahead is every kernel that is called from outside of kernels."""

from __future__ import annotations

import ast
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest import TestCase

from trasloco.rays.compiled import CACHE, device, kernel

ROOT = Path(__file__).resolve().parents[2]
LOADED = """
import sys
from trasloco.kernel import Kernel
from trasloco import warm
warm.beside()
warm.pictures()
for name, module in list(sys.modules.items()):
    if name.startswith("trasloco"):
        for called, one in list(vars(module).items()):
            if isinstance(one, Kernel) and "made" in vars(one) and one.made.signatures:
                print(f"{one.__module__}.{one.__name__}")
"""
TABLES = "trasloco.render.closures.tables."
"""What these gather is kept beside the kernels, and not gathered again."""


def is_compiled(function: ast.FunctionDef) -> bool:
    return any(
        "njit" in ast.unparse(d) or ast.unparse(d) in ("kernel", "device") for d in function.decorator_list
    )


def entries() -> set[str]:
    """Kernels that no other kernel calls, by module and name."""
    kernels: dict[str, str] = {}
    called: set[str] = set()
    for path in sorted((ROOT / "trasloco").rglob("*.py")):
        for one in ast.walk(ast.parse(path.read_text())):
            if isinstance(one, ast.FunctionDef) and is_compiled(one):
                kernels[f"{'.'.join(path.relative_to(ROOT).with_suffix('').parts)}.{one.name}"] = one.name
                calls = [call.func for call in ast.walk(one) if isinstance(call, ast.Call)]
                called |= {getattr(func, "id", getattr(func, "attr", "")) for func in calls}
    return {name for name, short in kernels.items() if short not in called}


@device
def parted(value: float, count: int, halved: bool) -> float:
    return value / count / (2 if halved else 1)


@kernel
def several(value: float) -> float:
    return parted(value, 2, False) + parted(value, 4, False) + parted(value, 4, True)


class Warm(TestCase):
    def test_numbers_that_are_written_down_make_no_kernel_of_their_own(self) -> None:
        self.assertEqual(several(8.0), 4 + 2 + 1)
        self.assertEqual(len(list(CACHE.glob("*/test_warm.parted-*.nbc"))), 1)

    def test_what_compiles_beside_ends_with_who_began_it(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            left_out = shutil.ignore_patterns("__pycache__")
            shutil.copytree(ROOT / "trasloco", Path(folder) / "trasloco", ignore=left_out)
            with subprocess.Popen([sys.executable, "-m", "trasloco.warm"], cwd=folder) as begun:
                children = Path(f"/proc/{begun.pid}/task/{begun.pid}/children")
                until = time.monotonic() + 60
                while not (beside := children.read_text().split()):
                    self.assertLess(time.monotonic(), until)
                    time.sleep(0.05)
                begun.kill()
            until = time.monotonic() + 60
            while Path(f"/proc/{beside[0]}/exe").exists():
                self.assertLess(time.monotonic(), until)
                time.sleep(0.05)

    def test_every_kernel_that_is_called_from_outside_is_compiled_ahead(self) -> None:
        told = subprocess.run(
            [sys.executable, "-c", LOADED], cwd=ROOT, capture_output=True, text=True, check=True
        ).stdout
        found = entries()
        self.assertGreater(len(found), 25)
        self.assertEqual([one for one in sorted(found - set(told.split())) if not one.startswith(TABLES)], [])
