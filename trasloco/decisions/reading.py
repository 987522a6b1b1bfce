"""Decisions out of a file."""

from __future__ import annotations

import json
from pathlib import Path

from trasloco.decisions.kinds import typed
from trasloco.errors import Refused
from trasloco.scene.model import Decision


def read_decisions(path: Path) -> list[Decision]:
    """Decisions from a JSON list of {target, field, value}.

    Raises:
        Refused: not such a list, or something in it that cannot be decided.
    """
    try:
        rows = json.loads(path.read_text("utf-8"))
        made = [Decision(str(row["target"]), str(row["field"]), row["value"]) for row in rows]
    except (OSError, ValueError, TypeError, KeyError) as error:
        raise Refused(
            f"The decisions cannot be read ({type(error).__name__}: {error}).",
            str(path),
            'Give a JSON list of {"target", "field", "value"}.',
        ) from None
    for decision in made:
        typed(decision)
    return made
