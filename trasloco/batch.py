"""Many deliveries to one destination or several: each carried, delivered and told by itself, and gone on with where it
stopped.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import time
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from trasloco.decisions.kinds import on_the_wire
from trasloco.errors import Refused
from trasloco.formats.bundle import gather, safe_path
from trasloco.own_process import bounded
from trasloco.proof.figure import Figure
from trasloco.results.delivering import delivered, papers_of
from trasloco.results.one_look import looked_at
from trasloco.results.route import Route
from trasloco.results.store import MemoryStore
from trasloco.scene.digest import digest
from trasloco.scene.model import Decision
from trasloco.sheets.library import sheet_at
from trasloco.sheets.text import sheet_toml

RESULT = "result.json"
_MODELS = frozenset(
    {".glb", ".gltf", ".obj", ".ply", ".stl", ".dae", ".zae", ".usd", ".usda", ".usdc", ".usdz", ".zip"}
)


@dataclass(frozen=True)
class Task:
    """One delivery to one destination: its name, its files, both sheets by name or path, and where it goes."""

    name: str
    sources: tuple[str, ...]
    source: str
    to: str
    out: str
    decisions: tuple[Decision, ...] = ()
    prove: bool = False


@dataclass(frozen=True)
class Outcome:
    """What became of a task. ``state`` is done, unaccounted or refused; ``judged`` the ΔE with its bounds."""

    name: str
    to: str
    state: str
    marks: dict[str, int] = field(default_factory=dict)
    judged: tuple[float, float, float] | None = None
    verdict: str = ""
    files: int = 0
    seconds: float = 0.0
    words: str = ""
    key: str = ""
    known: bool = False

    @property
    def code(self) -> int:
        """0 all exact or close, 1 something lost, blocked or unaccounted, 2 refused."""
        if self.state == "refused":
            return 2
        short = self.state == "unaccounted" or any(self.marks.get(mark) for mark in ("lost", "blocked"))
        return 1 if short else 0


def deliveries_in(folder: Path) -> list[tuple[str, list[Path]]]:
    """Deliveries of a folder by name: every folder in it with a model, every model and archive that lies in it; one of
    all where it holds a single model with its images.

    Raises:
        Refused: there is none.
    """
    if not folder.is_dir():
        raise Refused("There is no such folder.", str(folder), "Give a folder with deliveries in it.")
    held = sorted(folder.iterdir())
    found = [(one.name, [one]) for one in held if one.is_dir() and any(map(_is_model, one.rglob("*")))]
    loose = [one for one in held if one.is_file() and _is_model(one)]
    if not found and len(loose) == 1 and len(held) > 1:
        return [(loose[0].stem, [one for one in held if one.is_file()])]
    stems = [one.stem for one in loose]
    found += [(one.stem if stems.count(one.stem) == 1 else one.name, [one]) for one in loose]
    if not found:
        raise Refused(
            "Nothing in the folder can be read.", str(folder), "Put models or folders with models in it."
        )
    return found


def _is_model(path: Path) -> bool:
    return path.suffix.lower() in _MODELS


def tasks_of(
    folder: Path, source: str, to: Iterable[str], out: Path, decisions: Sequence[Decision], prove: bool
) -> list[Task]:
    """A task for each delivery and destination."""
    destinations = list(to)
    return [
        Task(
            name,
            tuple(map(str, paths)),
            source,
            one,
            str(out / name / sheet_at(one, "destination").name.lower()),
            tuple(decisions),
            prove,
        )
        for name, paths in deliveries_in(folder)
        for one in destinations
    ]


def done(task: Task) -> Outcome:
    """A task carried out, or found as it was left: files, sheets and decisions are the same. Nothing is raised: what
    cannot be read is an outcome too.
    """
    started, folder = time.monotonic(), Path(task.out)
    try:
        files = gather([Path(one) for one in task.sources])
        source, destination = sheet_at(task.source, "source"), sheet_at(task.to, "destination")
        told = [on_the_wire(one) for one in task.decisions]
        key = digest(
            {path: digest(data) for path, data in files.items()},
            sheet_toml(source),
            sheet_toml(destination),
            json.dumps(told, sort_keys=True),
            task.prove,
        )
        known = _kept(folder, key)
        if known is not None:
            return known
        digests = {path: digest(data) for path, data in files.items()}
        route = Route(digests, lambda: files, source, destination, task.decisions, MemoryStore())
        with bounded():
            route.received()
        made = _carried(task, route, folder, key, started)
    except Refused as error:
        return Outcome(
            task.name, task.to, "refused", words=f"{error.what} {error.remedy}", seconds=_since(started)
        )
    folder.mkdir(parents=True, exist_ok=True)
    (folder / RESULT).write_text(json.dumps(asdict(made), indent=1, ensure_ascii=False) + "\n")
    return made


def _carried(task: Task, route: Route, folder: Path, key: str, started: float) -> Outcome:
    accounts = route.accounts()
    marks = {str(mark): count for mark, count in accounts.counted().items()}
    judged: Figure | None = None
    verdict, words = "", ""
    if task.prove:
        judged, verdict = looked_at(route)
    bounds = (judged.value, judged.low, judged.high) if judged is not None else None
    try:
        made = delivered(route, None, lambda fraction, message: None)
    except Refused as error:
        words = f"{error.what} {error.where}"
        return Outcome(
            task.name, task.to, "unaccounted", marks, bounds, verdict, 0, _since(started), words, key
        )
    held = {**made.files, **papers_of(made)}
    for path, data in held.items():
        target = folder / safe_path(path)
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
    return Outcome(task.name, task.to, "done", marks, bounds, verdict, len(held), _since(started), words, key)


def _since(started: float) -> float:
    return round(time.monotonic() - started, 2)


def _kept(folder: Path, key: str) -> Outcome | None:
    """What a task ended with before, where nothing that it is made of has changed since."""
    try:
        told: dict[str, Any] = json.loads((folder / RESULT).read_text("utf-8"))
        if told.get("key") != key:
            return None
        judged = told.get("judged")
        return Outcome(**{**told, "judged": tuple(judged) if judged else None, "known": True})
    except (OSError, ValueError, TypeError):
        return None


def all_done(
    tasks: Sequence[Task], workers: int = 0, hear: Callable[[Outcome, int], None] = lambda one, left: None
) -> list[Outcome]:
    """All tasks, by as many processes as there are processors, in the order of the tasks; ``hear`` hears of each as it
    ends, with how many are left.
    """
    count = min(workers or os.cpu_count() or 1, max(len(tasks), 1))
    found: dict[int, Outcome] = {}
    if count == 1:
        for number, task in enumerate(tasks):
            found[number] = done(task)
            hear(found[number], len(tasks) - len(found))
    else:
        with ProcessPoolExecutor(count, mp_context=multiprocessing.get_context("spawn")) as pool:
            waiting = {pool.submit(done, task): number for number, task in enumerate(tasks)}
            for future in as_completed(waiting):
                number = waiting[future]
                found[number] = future.result()
                hear(found[number], len(tasks) - len(found))
    return [found[number] for number in range(len(tasks))]
