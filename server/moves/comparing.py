"""A revision compared with the one before it, and a handover with another."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from server.moves.bench import Bench
from server.moves.models import Handover, Revision
from server.moves.store import blob_bytes, get_blob, store
from trasloco.results import comparing, next_states
from trasloco.results.delivering import listed_in
from trasloco.results.name import named
from trasloco.results.route import Route


def _joined(revision: Revision) -> tuple[dict[str, str], dict[str, str]]:
    """Files that a revision brought under new names, and those of the one before that are as they were."""
    before = revision.move.revisions.filter(number=revision.number - 1).first()
    held = before.files if before is not None else {}
    if not held:
        return {}, {}
    fresh = {path: blob for path, blob in revision.files.items() if path not in held}
    return fresh, {path: blob for path, blob in revision.files.items() if held.get(path) == blob}


def next_states_of(revision: Revision) -> list[next_states.NextState]:
    """What a revision brought that may be the next state of a file that is there; by the names alone where
    the files were not compared.
    """
    fresh, held = _joined(revision)
    found = store.get(next_states.next_states_key(fresh, held)) if fresh else None
    return next_states.by_name(fresh, held) if found is None else found


def compare_files(revision: Revision) -> None:
    """Compares what a revision brought with what is there, and keeps it."""
    fresh, held = _joined(revision)
    if fresh:
        key = next_states.next_states_key(fresh, held)
        store.get_or_make(key, lambda: next_states.next_states(fresh, held, get_blob))


def _before(revision: Revision) -> Revision | None:
    return revision.move.revisions.filter(number=revision.number - 1).first()


def _key(before: Route, after: Route) -> str:
    names = before.reference_name, after.reference_name
    return named("revisions between", ("trasloco.results.comparing",), *names).key


def _sides(revision: Revision, before: Revision) -> tuple[Bench, Bench]:
    """Both revisions as they were received."""
    return Bench(revision.move, before), Bench(revision.move, revision)


def compare_revisions(revision: Revision) -> None:
    """Compares the things of a revision with those of the one before, and keeps it."""
    before = _before(revision)
    if before is None or not before.received:
        return
    old, new = _sides(revision, before)
    store.get_or_make(_key(old, new), lambda: comparing.revisions_between(old, new))


def changes_of_revision(revision: Revision) -> dict[str, Any]:
    """What is different since the revision before; things only where they were compared. For the revision
    that stands, also how many decisions apply to nothing any more.
    """
    before = _before(revision)
    if before is None:
        return {"known": True, "before": "", "after": f"revision {revision.number}"}
    old, new = _sides(revision, before)
    things = store.get(_key(old, new))
    answer = _files(_sized(before.files), _sized(revision.files))
    told = {"before": f"revision {before.number}", "after": f"revision {revision.number}"}
    standing = Bench(revision.move)
    idle = len(standing.idle()) if standing.revision == revision and standing.is_read() else 0
    return {**answer, **told, "known": things is not None, "things": _plain(things or []), "idle": idle}


def changes_between(before: Handover, after: Handover) -> dict[str, Any]:
    """What is different between two handovers, by what lies in their archives."""
    lists = [listed_in(get_blob(row.archive)) for row in (before, after)]
    things = comparing.lists_between(*lists) if all(lists) else []  # type: ignore[arg-type]
    files = (
        {path: (entry["blob"], entry["size"]) for path, entry in row.files.items()} for row in (before, after)
    )
    told = {"before": f"number {before.number}", "after": f"number {after.number}"}
    return {**_files(*files), **told, "known": all(lists), "things": _plain(things)}


def _sized(files: dict[str, str]) -> dict[str, tuple[str, int]]:
    return {path: (blob, blob_bytes(blob)) for path, blob in files.items()}


def _files(before: dict[str, tuple[str, int]], after: dict[str, tuple[str, int]]) -> dict[str, Any]:
    found, same = comparing.files_between(before, after)
    return {"files": [asdict(one) for one in found], "same_files": same}


def _plain(things: list[comparing.Changed]) -> list[dict[str, Any]]:
    return [asdict(one) for one in things]
