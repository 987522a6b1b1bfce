"""Runs every check and closes with ``N passed, N failed``: linters, types, arrows, generated files, then all
tests.
"""

from __future__ import annotations

import os
import re
import resource
import shutil
import signal
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
WEB = ROOT / "web"
BIN = Path(sys.executable).parent


def _stale_types() -> list[str]:
    """A command that fails when the front end's API types are not those of the server."""
    script = (
        f'set -e; d=$(mktemp -d); "{sys.executable}" manage.py export_openapi_schema --api server.moves.api.api --indent 1 > "$d/openapi.json"; '
        f'(cd web && npx --no-install openapi-typescript "$d/openapi.json" -o "$d/schema.d.ts" >/dev/null 2>&1); '
        f'"{sys.executable}" -m trasloco.decisions.ranges > "$d/ranges.json"; diff -q "$d/ranges.json" web/src/api/ranges.json && '
        f'diff -q "$d/openapi.json" web/src/api/openapi.json && diff -q "$d/schema.d.ts" web/src/api/schema.d.ts'
    )
    return ["bash", "-c", script]


CHECKS: list[tuple[str, list[str], Path]] = [
    ("python lint", [str(BIN / "ruff"), "check", "--quiet", "--output-format", "concise", "."], ROOT),
    ("python layout", [str(BIN / "ruff"), "format", "--check", "--quiet", "."], ROOT),
    ("core and server types", [str(BIN / "mypy")], ROOT),
    ("import arrows", [str(BIN / "lint-imports")], ROOT),
    ("migrations", [sys.executable, "manage.py", "makemigrations", "--check", "--dry-run"], ROOT),
    ("front-end types", ["npx", "--no-install", "tsc", "--noEmit"], WEB),
    ("front-end layout", ["npx", "--no-install", "prettier", "--check", "src"], WEB),
    ("front-end lint", ["npx", "--no-install", "eslint", "src"], WEB),
    ("API types are current", _stale_types(), ROOT),
]


def _checked(check: tuple[str, list[str], Path]) -> tuple[str, subprocess.CompletedProcess[str], float]:
    name, command, folder = check
    started = time.monotonic()
    return (
        name,
        subprocess.run(command, cwd=folder, capture_output=True, text=True),
        time.monotonic() - started,
    )


Took = list[tuple[float, str]]
"""Seconds and name of tests."""


def _demo(places: int) -> None:
    """The demo's deliveries, made once, where each half of the tests looks for them."""
    data = Path(os.environ["TRASLOCO_DATA"])
    started = time.monotonic()
    make = "import sys; from pathlib import Path; from demo.build import write; write(Path(sys.argv[1]))"
    subprocess.run([sys.executable, "-c", make, str(data / "0" / "demo")], cwd=ROOT, check=True)
    for number in range(1, places):
        shutil.copytree(data / "0" / "demo", data / str(number) / "demo", dirs_exist_ok=True)
    print(f"the demo's deliveries ({time.monotonic() - started:.0f} s)", flush=True)


def _kernels() -> None:
    """Kernels, compiled while the checks run."""
    started = time.monotonic()
    subprocess.run([sys.executable, "-m", "trasloco.warm"], cwd=ROOT, check=True)
    print(f"kernels ({time.monotonic() - started:.0f} s)", flush=True)


_SILENT_S = 1500
"""Seconds after which a test that says nothing is taken to hang."""


def _watched(process: subprocess.Popen[str]) -> threading.Timer:
    """Ends tests that hang, which tells where each of their threads is."""
    watch = threading.Timer(_SILENT_S, process.send_signal, (signal.SIGABRT,))
    watch.daemon = True
    watch.start()
    return watch


def _tested(number: int, labels: list[str]) -> tuple[int, int, Took]:
    """Tests that passed and failed, run in a process and with a database of their own, and how long each
    took.

    None run counts as one that failed.
    """
    place = Path(os.environ["TRASLOCO_DATA"]) / str(number)
    place.mkdir(parents=True, exist_ok=True)
    command = [sys.executable, "-X", "faulthandler", "manage.py", "test", "--noinput", "-v", "2", *labels]
    text = ""
    took: Took = []
    name, since = "", time.monotonic()
    with subprocess.Popen(
        command,
        cwd=ROOT,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        env={**os.environ, "TRASLOCO_DATA": str(place)},
    ) as process:
        assert process.stdout is not None
        watch = _watched(process)
        for line in process.stdout:
            watch.cancel()
            watch = _watched(process)
            text += line
            # A test with a docstring is told on two lines, the second when it is over.
            if told := re.search(r"\((tests\.[\w.]+)\)", line):
                name = told.group(1)
            if name:
                took.append((time.monotonic() - since, name))
            since = time.monotonic()
            if not re.match(
                r"\s+(Applying|Creating|Running|Synchroniz)|(Operations|Synchroniz|Running|  Apply)", line
            ):
                print(line, end="", flush=True)
        watch.cancel()
    ran = [int(count) for count in re.findall(r"^Ran (\d+) tests?", text, re.MULTILINE)]
    bad = sum(int(n) for n in re.findall(r"(?:failures|errors)=(\d+)", text))
    total = ran[-1] if ran else 0
    bad = bad or int(process.returncode != 0 or not total)
    return max(total - bad, 0), bad, took


def _slowest(took: Took) -> str:
    """The files of tests, and single tests, by their time, the slowest first."""
    by_file: dict[str, float] = {}
    alone: dict[str, float] = {}
    for seconds, name in took:
        file, test = ".".join(name.split(".")[1:3]), name.rpartition(".")[2]
        by_file[file] = by_file.get(file, 0) + seconds
        alone[test] = alone.get(test, 0) + seconds
    return "\n".join(
        ", ".join(
            f"{name} {seconds:.0f} s" for name, seconds in sorted(held.items(), key=lambda i: -i[1])[:24]
        )
        for held in (by_file, alone)
    )


_BESIDE = ("test_new_lamps",)
"""What is long of the core and runs beside server and browser, so that both halves end together."""


def halves() -> list[list[str]]:
    """All tests, as two lists of labels for two processors."""
    core = sorted(path.stem for path in (ROOT / "tests" / "core").glob("test_*.py"))
    return [
        [f"tests.core.{name}" for name in core if name not in _BESIDE],
        ["tests.server", "tests.browser", *(f"tests.core.{name}" for name in _BESIDE)],
    ]


def main() -> int:
    passed = failed = 0
    began = time.monotonic()
    # Tests begin hundreds of processes: what is compiled for the first is there for the others.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    os.environ["TRASLOCO_DATA"] = str(Path(os.environ.get("TRASLOCO_DATA", ROOT / "data")) / "test")
    groups = [sys.argv[1:]] if sys.argv[1:] else halves()
    with ThreadPoolExecutor(3) as pool:
        before = [pool.submit(_kernels), pool.submit(_demo, len(groups))]
        for name, done, seconds in pool.map(_checked, CHECKS):
            print(f"{'ok  ' if done.returncode == 0 else 'FAIL'} {name} ({seconds:.0f} s)", flush=True)
            if done.returncode:
                failed += 1
                print(done.stdout[-4000:] + done.stderr[-4000:])
            else:
                passed += 1
        for one in before:
            one.result()
    with ThreadPoolExecutor(len(groups)) as pool:
        for good, bad, took in pool.map(_tested, range(len(groups)), groups):
            passed += good
            failed += bad
            print(f"\n{sum(s for s, _ in took):.0f} s:\n{_slowest(took)}")
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    print(f"\n{used.ru_utime + used.ru_stime:.0f} s of processors in {time.monotonic() - began:.0f} s")
    print(f"\n{passed} passed, {failed} failed")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
