"""Random calls by the API's own description: nothing is answered with a fault of ours."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import tempfile
from dataclasses import dataclass, field
from pathlib import Path

from drill.instance import Away, Instance
from drill.scenes import small

_LEFT_OUT = (
    ("DELETE", "/api/moves/{move_id}"),
    ("DELETE", "/api/taken-off/{move_id}"),
    ("POST", "/api/moves/{move_id}/jobs"),
    ("POST", "/api/moves/{move_id}/files"),
)
"""What would take away what the other calls are about, or keep the machine busy for hours."""


@dataclass
class Called:
    """What came of it."""

    calls: int = 0
    operations: int = 0
    faults: list[str] = field(default_factory=list)
    statuses: dict[int, int] = field(default_factory=dict)


def call_at_random(instance: Instance, examples: int, seed: int = 1) -> Called:
    """So many random requests for each operation of the description, about a move that is there or none."""
    move = instance.received({"a.glb": small()})
    document = instance.ask("/openapi.json")[1]
    for method, path in _LEFT_OUT:
        document["paths"][path].pop(method.lower())
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "api.json").write_text(json.dumps(document))
        (folder / "schemathesis.toml").write_text(_values(instance, move))
        done = subprocess.run(
            [
                str(Path(sys.executable).with_name("schemathesis")), "run", "api.json",
                "--url", f"http://127.0.0.1:{instance.port}", "--checks", "not_a_server_error",
                "--phases", "fuzzing", "--max-examples", str(examples), "--seed", str(seed), "--workers", "2",
                "--continue-on-failure", "--request-timeout", "60", "--suppress-health-check", "all",
                "--generation-database", "none", "--no-color", "--report", "ndjson", "--report-ndjson-path", "calls.ndjson",
            ],
            cwd=folder,
            capture_output=True,
            text=True,
        )  # fmt: skip
        made = Called(operations=sum(len(ways) for ways in document["paths"].values()))
        record = folder / "calls.ndjson"
        if record.is_file():
            _count(record, made)
    if done.returncode not in (0, 1) or not made.calls:
        made.faults.append(f"the tester itself: {done.stdout[-1500:]}{done.stderr[-1500:]}")
    elif done.returncode == 1:
        made.faults.append(done.stdout[-4000:])
    try:
        if instance.ask(f"/moves/{move}")[0] != 200:
            made.faults.append("the move is not there any more")
    except Away:
        made.faults.append("nobody answers any more")
    return made


def _values(instance: Instance, move: int) -> str:
    """What addresses and queries name that is there, beside what is made up."""
    told = instance.ask(f"/moves/{move}/inventory")[1]
    crossings = instance.ask(f"/moves/{move}/fit")[1]["crossings"]
    job = instance.ask(f"/moves/{move}")[1]["job"]["id"]
    known = {
        "path.move_id": [move, move, 7],
        "path.job_id": [job, 0],
        "query.material": [one["id"] for one in told["materials"]] + ["x"],
        "query.image": [one["id"] for one in told["images"]] + [""],
        "query.part": [one["id"] for one in told["parts"]] + ["\u202e"],
        "query.crossing": [one["id"] for one in crossings[:6]] + ["x/y"],
    }
    return "[parameters]\n" + "".join(f'"{name}" = {json.dumps(values)}\n' for name, values in known.items())


def _count(record: Path, made: Called) -> None:
    """Answers by status, as the tester wrote them down."""
    with record.open() as lines:
        for line in lines:
            for status in re.findall(r'"status_code":\s*(\d+)', line):
                made.calls += 1
                made.statuses[int(status)] = made.statuses.get(int(status), 0) + 1
