"""Before anything is served: the database is sound, and no later version made it."""

from __future__ import annotations

from pathlib import Path

from server.backup import DATABASE, fault_of_database
from trasloco.errors import Refused


def check_database(data: Path) -> None:
    """Look at the database before it is opened.

    Raises:
        Refused: it is damaged, or was made by a later version.
    """
    fault = fault_of_database(data / DATABASE)
    if fault:
        raise Refused(
            f"The database is damaged ({fault[:200]}).",
            str(data / DATABASE),
            "Bring a backup back (trasloco restore FILE); the damaged one is moved aside, nothing is removed.",
        )
    later = _later_steps()
    if later:
        raise Refused(
            f"The database was made by a later version of Trasloco ({', '.join(later[:3])}).",
            str(data / DATABASE),
            "Use that version, or bring back a backup that this version made.",
        )


def _later_steps() -> list[str]:
    """Migrations of ours that were carried out and that this version does not know."""
    from django.db import connection
    from django.db.migrations.loader import MigrationLoader

    loader = MigrationLoader(connection)
    known = {key for key in loader.disk_migrations if key[0] == "moves"}
    return sorted(
        name for app, name in loader.applied_migrations if app == "moves" and (app, name) not in known
    )
