"""Where rows name kept files by their digests: tables of this application, and the fields that hold some."""

from __future__ import annotations

import re

REFERRING: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("revision", ("files", "picture")),
    ("job", ("result",)),
    ("proofrow", ("pictures",)),
    ("handover", ("files", "report", "archive")),
    ("kept", ("files",)),
    ("seen", ("picture", "pictures")),
    ("gauge", ("archive", "pictures", "evidence")),
    ("ownpicture", ("picture", "shown", "pictures", "matched", "numbers")),
)
DIGEST = re.compile(r"\b[0-9a-f]{64}\b")
