"""Files of a revision compared with those that were there before it."""

from __future__ import annotations

from server.moves.models import Revision
from server.moves.store import get_blob, store
from trasloco.results import next_states


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
