"""Many deliveries to one destination or several: each carried, delivered and told by itself, and gone on with
where it stopped.
"""

from __future__ import annotations

import itertools
import json
import multiprocessing
import os
import time
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import asdict, dataclass, field, replace
from multiprocessing.context import BaseContext
from pathlib import Path
from typing import Any

from trasloco.decisions.kinds import on_the_wire
from trasloco.errors import Refused
from trasloco.formats.bundle import gather
from trasloco.formats.receive import ENDINGS
from trasloco.handover.on_disk import places, put
from trasloco.progress import silent
from trasloco.results.delivering import delivered, papers_of, unaccounted_words
from trasloco.results.in_memory import route_of
from trasloco.results.one_look import SMALL, looked_at
from trasloco.results.route import Route
from trasloco.scene.digest import digest
from trasloco.scene.model import Decision
from trasloco.sheets.library import sheet_at
from trasloco.sheets.text import sheet_toml

RESULT = "result.json"
_ENDED = "Reading and working were ended by the system. Send less at once, or write the file anew."


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
    """What became of a task. ``state`` is done, unaccounted or refused; ``judged`` the subject's ΔE with its
    bounds, in a light of ours where ``stand_in``; ``out`` where its package lies.
    """

    name: str
    to: str
    state: str
    marks: dict[str, int] = field(default_factory=dict)
    judged: tuple[float, float, float] | None = None
    verdict: str = ""
    files: int = 0
    seconds: float = 0.0
    words: str = ""
    out: str = ""
    stand_in: bool = False
    key: str = ""
    known: bool = False

    @property
    def code(self) -> int:
        """0 all exact or close, 1 something lost, blocked or unaccounted, or proved in a stand-in light, 2
        refused.
        """
        if self.state == "refused":
            return 2
        short = self.state == "unaccounted" or any(self.marks.get(mark) for mark in ("lost", "blocked"))
        return 1 if short or self.stand_in else 0


def deliveries_in(folder: Path) -> list[tuple[str, list[Path]]]:
    """Deliveries of a folder by name: every folder in it with a model, every model and archive that lies in
    it; one of all where it holds a single model with its images.

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
    return path.suffix.lower() in ENDINGS


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
    """A task carried out, or found as it was left: files, sheets and decisions are the same. What is refused
    is an outcome too. What lies there already, and perhaps was changed by hand, is left alone: a numbered
    folder is taken.
    """
    started = time.monotonic()
    try:
        files = gather([Path(one) for one in task.sources])
        source, destination = sheet_at(task.source, "source"), sheet_at(task.to, "destination")
        key = digest(
            {path: digest(data) for path, data in files.items()},
            sheet_toml(source),
            sheet_toml(destination),
            json.dumps([on_the_wire(one) for one in task.decisions], sort_keys=True),
            task.prove,
        )
        known = _kept(Path(task.out), key)
        if known is not None:
            return known
        route = route_of(files, source, destination, task.decisions)
        return _carried(task, route, key, started)
    except Refused as error:
        return _refused(task, f"{error.what} {error.remedy}", started)
    except MemoryError:
        return _refused(task, "It needs more memory than there is. Send less at once.", started)
    except OSError as error:
        return _refused(task, f"It cannot be read or written ({error.strerror}): {error.filename}.", started)


def _refused(task: Task, words: str, started: float) -> Outcome:
    return Outcome(task.name, task.to, "refused", words=words, seconds=_since(started))


def _carried(task: Task, route: Route, key: str, started: float) -> Outcome:
    accounts = route.accounts()
    made = Outcome(task.name, task.to, "done", {str(m): n for m, n in accounts.counted().items()}, key=key)
    if task.prove:
        proof = looked_at(route, SMALL)
        found = proof.worst.comparison.subject
        judged = found.value, found.low, found.high
        made = replace(made, judged=judged, verdict=proof.verdict, stand_in=proof.stand_in)
    if words := unaccounted_words(accounts, route):
        return replace(made, state="unaccounted", words=words, seconds=_since(started))
    delivery = delivered(route, None, silent)
    files = {**delivery.files, **papers_of(delivery)}
    made = replace(made, files=len(files), seconds=_since(started))
    told = json.dumps(asdict(made), indent=1, ensure_ascii=False) + "\n"
    return replace(made, out=str(put(Path(task.out), {**files, RESULT: told.encode()})))


def _since(started: float) -> float:
    return round(time.monotonic() - started, 2)


def _kept(out: Path, key: str) -> Outcome | None:
    """What a task ended with before, where nothing that it is made of has changed since."""
    for place in itertools.takewhile(Path.exists, places(out)):
        try:
            told: dict[str, Any] = json.loads((place / RESULT).read_text("utf-8"))
            if told["key"] == key:
                judged = tuple(told["judged"]) if told["judged"] else None
                return Outcome(**{**told, "judged": judged, "out": str(place), "known": True})
        except (OSError, ValueError, TypeError, KeyError):
            continue
    return None


def _forking() -> BaseContext:
    """Processes as copies of one that has loaded what they need, and nothing else: no thread, no file of ours."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["trasloco.batch"])
    return context


def all_done(
    tasks: Sequence[Task],
    workers: int = 0,
    hear: Callable[[Outcome, int], None] = lambda one, left: None,
    work: Callable[[Task], Outcome] = done,
) -> list[Outcome]:
    """All tasks, by as many processes as there are processors, in the order of the tasks; ``hear`` hears of
    each as it ends, with how many are left.

    Where the system ends a process (out of memory or time, a fault in a decoder), what was not done yet is
    tried again, each by itself: only what ends its process alone is refused for that.
    """
    found: dict[int, Outcome] = {}

    def run(numbers: Sequence[int], count: int) -> bool:
        """Whether no process was ended."""
        with ProcessPoolExecutor(count, mp_context=_forking()) as pool:
            waiting = {pool.submit(work, tasks[number]): number for number in numbers}
            try:
                for future in as_completed(waiting):
                    found[waiting[future]] = future.result()
                    hear(found[waiting[future]], len(tasks) - len(found))
            except BrokenProcessPool:
                return False
        return True

    if not run(range(len(tasks)), min(workers or os.cpu_count() or 1, max(len(tasks), 1))):
        for number in [n for n in range(len(tasks)) if n not in found]:
            started = time.monotonic()
            if not run([number], 1):
                found[number] = _refused(tasks[number], _ENDED, started)
                hear(found[number], len(tasks) - len(found))
    return [found[number] for number in range(len(tasks))]
