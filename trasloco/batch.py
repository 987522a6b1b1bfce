"""Many deliveries to one destination or several: each carried, delivered and told by itself, and gone on with
where it stopped.
"""

from __future__ import annotations

import itertools
import json
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any, TypeVar

from trasloco.at_rest import Bytes
from trasloco.decisions.kinds import on_the_wire
from trasloco.errors import Refused
from trasloco.formats.bundle import gather
from trasloco.formats.receive import ENDINGS
from trasloco.handover.on_disk import places, put
from trasloco.hands.model import NOTHING, Ended, Hands
from trasloco.hands.processes import Processes
from trasloco.hands.setting import cluster
from trasloco.processors import processors
from trasloco.progress import silent
from trasloco.results.delivering import delivered, papers_of, unaccounted_words
from trasloco.results.in_memory import route_of
from trasloco.results.one_look import SMALL, looked_at
from trasloco.results.route import Route
from trasloco.scene.digest import digest
from trasloco.scene.model import Decision
from trasloco.sheets.library import sheet_at
from trasloco.sheets.model import Sheet
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


def deliveries_in(folder: Path, but: Path | None = None) -> list[tuple[str, list[Path]]]:
    """Deliveries of a folder by name: every folder in it with a model, every model and archive that lies in
    it; one of all where it holds a single model with its images. What lies in ``but`` is none.

    Raises:
        Refused: there is none.
    """
    if not folder.is_dir():
        raise Refused("There is no such folder.", str(folder), "Give a folder with deliveries in it.")
    apart = None if but is None else but.resolve()
    held = [one for one in sorted(folder.iterdir()) if one.resolve() != apart]
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
        for name, paths in deliveries_in(folder, out)
        for one in destinations
    ]


def done(task: Task) -> Outcome:
    """A task carried out, or found as it was left: files, sheets and decisions are the same. What is refused
    is an outcome too. What lies there already, and perhaps was changed by hand, is left alone: a numbered
    folder is taken.
    """
    started = time.monotonic()
    begun = _begun(task, started)
    return begun if isinstance(begun, Outcome) else _laid_down(begun.task, *done_there(None, begun))


def _done(nothing: None, task: Task) -> Outcome:
    return done(task)


@dataclass(frozen=True)
class _Load:
    """A task with all that it reads, for a worker that sees none of our files."""

    task: Task
    files: Mapping[str, Bytes]
    source: Sheet
    destination: Sheet
    key: str
    seconds: float
    """That reading it took."""


T = TypeVar("T")


def _begun(task: Task, started: float) -> Outcome | _Load:
    """What a task needs, or what it ended with before or at once."""

    def read() -> Outcome | _Load:
        files = gather([Path(one) for one in task.sources])
        source, destination = sheet_at(task.source, "source"), sheet_at(task.to, "destination")
        key = digest(
            {path: digest(data) for path, data in files.items()},
            sheet_toml(source),
            sheet_toml(destination),
            json.dumps([on_the_wire(one) for one in task.decisions], sort_keys=True),
            task.prove,
        )
        return _kept(Path(task.out), key) or _Load(task, files, source, destination, key, _since(started))

    return _told(task, started, read)


def done_there(nothing: None, load: _Load | Outcome) -> tuple[Outcome, Mapping[str, Bytes]]:
    """What became of a task, and the files of its package, where neither its own files nor the folder that it
    goes to need be seen.
    """
    if isinstance(load, Outcome):
        return load, {}
    started = time.monotonic() - load.seconds

    def carry() -> tuple[Outcome, Mapping[str, Bytes]]:
        return _carried(
            load.task,
            route_of(load.files, load.source, load.destination, load.task.decisions),
            load.key,
            started,
        )

    made = _told(load.task, started, carry)
    return (made, {}) if isinstance(made, Outcome) else made


def _laid_down(task: Task, made: Outcome, files: Mapping[str, Bytes]) -> Outcome:
    """The outcome, with its package put where the task says."""
    if not files:
        return made
    told = json.dumps(asdict(made), indent=1, ensure_ascii=False) + "\n"
    return _told(
        task,
        time.monotonic(),
        lambda: replace(made, out=str(put(Path(task.out), {**files, RESULT: told.encode()}))),
    )


def _told(task: Task, started: float, what: Callable[[], T]) -> T | Outcome:
    """What is done, or why it is refused."""
    try:
        return what()
    except Refused as error:
        return _refused(task, f"{error.what} {error.remedy}", started)
    except MemoryError:
        return _refused(task, "It needs more memory than there is. Send less at once.", started)
    except OSError as error:
        return _refused(task, f"It cannot be read or written ({error.strerror}): {error.filename}.", started)


def _refused(task: Task, words: str, started: float) -> Outcome:
    return Outcome(task.name, task.to, "refused", words=words, seconds=_since(started))


def _carried(task: Task, route: Route, key: str, started: float) -> tuple[Outcome, Mapping[str, Bytes]]:
    accounts = route.accounts()
    made = Outcome(task.name, task.to, "done", {str(m): n for m, n in accounts.counted().items()}, key=key)
    if task.prove:
        proof = looked_at(route, SMALL)
        found = proof.worst.comparison.subject
        judged = found.value, found.low, found.high
        made = replace(made, judged=judged, verdict=proof.verdict, stand_in=proof.stand_in)
    if words := unaccounted_words(accounts, route):
        return replace(made, state="unaccounted", words=words, seconds=_since(started)), {}
    delivery = delivered(route, None, silent)
    files = {**delivery.files, **papers_of(delivery)}
    return replace(made, files=len(files), seconds=_since(started)), files


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


class _Loads(Sequence[Any]):
    """What each task needs, read when it is asked for."""

    def __init__(self, tasks: Sequence[Task]) -> None:
        self._tasks = tasks

    def __len__(self) -> int:
        return len(self._tasks)

    def __getitem__(self, number: Any) -> Any:
        return _begun(self._tasks[number], time.monotonic())


def all_done(
    tasks: Sequence[Task],
    workers: int = 0,
    hear: Callable[[Outcome, int], None] = lambda one, left: None,
    work: Callable[[None, Task], Outcome] = _done,
) -> list[Outcome]:
    """All tasks, by as many processes as there are processors, or by a cluster where one is set
    (:mod:`trasloco.hands.setting`), in the order of the tasks; ``hear`` hears of each as it ends, with how
    many are left.

    What ends its process alone (out of memory or time, a fault in a decoder) is refused for that.
    """
    found: dict[int, Outcome] = {}
    there = cluster()
    done = _by_processes(tasks, workers, work) if there is None else _by_cluster(tasks, there)
    for number, made in done:
        found[number] = (
            made if isinstance(made, Outcome) else _refused(tasks[number], _ENDED, time.monotonic())
        )
        hear(found[number], len(tasks) - len(found))
    return [found[number] for number in range(len(tasks))]


def _by_processes(
    tasks: Sequence[Task], workers: int, work: Callable[[None, Task], Outcome]
) -> Iterator[tuple[int, Outcome | Ended]]:
    with Processes(min(workers or processors(), max(len(tasks), 1)), ("trasloco.batch",)) as here:
        yield from here.each(work, NOTHING, tasks)


def _by_cluster(tasks: Sequence[Task], there: Hands) -> Iterator[tuple[int, Outcome | Ended]]:
    for number, made in there.each(done_there, NOTHING, _Loads(tasks)):
        yield number, made if isinstance(made, Ended) else _laid_down(tasks[number], *made)
