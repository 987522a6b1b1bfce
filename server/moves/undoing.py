"""Taking decisions back and making them again: each person their own."""

from __future__ import annotations

from django.contrib.auth.models import User

from server.moves.models import DecisionRow, Move
from trasloco.errors import Refused


def undo(move: Move, person: User | None) -> None:
    """Take back a person's last act that holds.

    Raises:
        Refused: another decided the same since; what stands on it has to go first.
    """
    own = move.decisions.filter(undone=False, by=person)
    last = own.order_by("-batch").values_list("batch", flat=True).first()
    if last is None:
        return
    made = set(own.filter(batch=last).values_list("target", "field"))
    after = move.decisions.filter(undone=False, batch__gt=last).exclude(by=person).select_related("by")
    for row in after.order_by("-batch"):
        if (row.target, row.field) in made:
            raise Refused(
                f"{row.by or 'Somebody'} decided the same after you.",
                f"{row.field} of {row.target}",
                "Decide it anew, or ask them to take theirs back first.",
            )
    own.filter(batch=last).update(undone=True)


def redo(move: Move, person: User | None) -> None:
    """Make a person's first act that was taken back again."""
    own = move.decisions.filter(undone=True, by=person)
    first = own.order_by("batch").values_list("batch", flat=True).first()
    if first is not None:
        own.filter(batch=first).update(undone=False)


def can(move: Move, person: User | None) -> dict[str, bool]:
    """Whether there is something of a person's to take back, or to make again."""
    own: list[bool] = list(
        DecisionRow.objects.filter(move=move, by=person).values_list("undone", flat=True).distinct()
    )
    return {"can_undo": False in own, "can_redo": True in own}
