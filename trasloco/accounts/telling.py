"""The accounts in words and as plain values: for the page, the packing list, the report and the command line."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from trasloco.accounts.model import BOOKINGS, KINDS, Accounts, Entry
from trasloco.scene.model import Decision
from trasloco.scene.wording import one_line

TARGET = "account:"
"""Targets of decisions about entries: this, and the entry's key."""


def meant_of(decisions: Sequence[Decision]) -> set[str]:
    """Keys of entries that the artist says are meant."""
    said = {
        d.target.removeprefix(TARGET): bool(d.value)
        for d in decisions
        if d.field == "meant" and d.target.startswith(TARGET)
    }
    return {key for key, meant in said.items() if meant}


def unanswered(accounts: Accounts, decisions: Sequence[Decision]) -> list[Entry]:
    """What nothing explains and no word of the artist covers: it keeps a package from being delivered."""
    meant = meant_of(decisions)
    return [entry for entry in accounts.unaccounted if entry.key not in meant]


def summed_up(entries: Sequence[Entry]) -> str:
    """What became of entries that did not arrive exactly, most frequent first: ``7 close: made smaller``."""
    reasons = Counter(
        (entry.mark, entry.reason) for entry in entries if entry.mark != "exact" and entry.reason
    )
    told = [f"{count} {mark}: {reason.rstrip('.')}" for (mark, reason), count in reasons.most_common(2)]
    return "; ".join(told)


def accounts_json(accounts: Accounts, decisions: Sequence[Decision] = ()) -> dict[str, Any]:
    """Counts, a line a kind, and every entry that is not exact."""
    meant = meant_of(decisions)
    kinds = []
    for kind, label in KINDS.items():
        held = accounts.of(kind)
        if held:
            counts = Counter(entry.mark for entry in held)
            kinds.append(
                {
                    "kind": kind,
                    "label": label,
                    "counts": {mark: counts.get(mark, 0) for mark in BOOKINGS},
                    "told": summed_up(held),
                }
            )
    entries = [entry_json(entry, entry.key in meant) for entry in accounts.entries if entry.mark != "exact"]
    return {
        "sent": len(accounts.entries),
        "counts": dict(accounts.counted()),
        "unanswered": len(unanswered(accounts, decisions)),
        "kinds": kinds,
        "entries": entries,
    }


def entry_json(entry: Entry, meant: bool = False) -> dict[str, Any]:
    return {
        "key": entry.key,
        "kind": entry.kind,
        "item": entry.item,
        "aspect": entry.aspect,
        "name": entry.name,
        "title": entry.title,
        "sent": entry.sent,
        "arrived": entry.arrived,
        "mark": entry.mark,
        "reason": entry.reason,
        "meant": meant,
    }


def account_lines(accounts: Accounts, decisions: Sequence[Decision] = ()) -> list[str]:
    """The accounts as lines of text: one balance, then whatever is not exact, what nothing explains first."""
    counted = accounts.counted()
    meant = meant_of(decisions)
    balance = ", ".join(
        f"{counted[mark]} {mark}" for mark in BOOKINGS if counted[mark] or mark in ("exact", "unaccounted")
    )
    lines = [f"{len(accounts.entries)} sent: {balance}"]
    for mark in ("unaccounted", "blocked", "lost", "close"):
        for entry in accounts.entries:
            if entry.mark == mark:
                word = ", meant" if entry.key in meant else ""
                lines.append(
                    f"{mark:<12}{one_line(entry.title)}: {one_line(entry.sent)} → {one_line(entry.arrived)}  ({one_line(entry.reason)}{word})"
                )
    return lines
