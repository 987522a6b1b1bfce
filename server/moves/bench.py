"""A move on the bench: the core's route for one move, with its rows and the store.

Views and jobs ask here and nowhere else.
"""

from __future__ import annotations

from functools import cached_property

from django.conf import settings

from server.moves.models import Move, Revision
from server.moves.sheets import sheet_of
from server.moves.store import blob_at_rest, store
from trasloco.results.pictures import received_view_glb, received_view_key, view_glb, view_key
from trasloco.results.records import Decision, Finding
from trasloco.results.route import Route


class Bench(Route):
    """All results of a move as it stands now, or a revision of it ``as_received``, before
    anything was decided. Make a new one after a decision.
    """

    def __init__(self, move: Move, as_received: Revision | None = None) -> None:
        self.move = move
        if as_received is not None:
            self.__dict__["revision"] = as_received
        files = dict(self.revision.files)
        decisions = [
            Decision(row.target, row.field, row.value)
            for row in move.decisions.filter(undone=False).order_by("id")
            if as_received is None
        ]
        super().__init__(
            files,
            lambda: {path: blob_at_rest(blob) for path, blob in files.items()},
            sheet_of(move.source, "source"),
            sheet_of(move.destination, "destination"),
            decisions,
            store,
            f"move {move.id}",
        )

    @cached_property
    def revision(self) -> Revision:
        found = self.move.revisions.order_by("-number").first()
        assert found is not None
        return found

    def is_read(self) -> bool:
        """Whether the delivery was read, and can be had without reading it again in a request."""
        return bool(self.revision.received) and (not settings.SOON or store.has(self.received_name.key))

    def surveyed(self) -> bool:
        """Whether the whole survey can be told: until it is made, only what the structure tells."""
        return self.known_findings() is not None

    def being_received(self) -> bool:
        """Whether a job is reading the delivery, and surveys it."""
        return self.move.jobs.filter(kind="receive", state="running").exists()

    def findings_so_far(self) -> list[Finding]:
        """The survey, or what is known of it so far."""
        return self.findings() if self.surveyed() else self.first_findings()

    def view_blob(self) -> str:
        """Blob of the geometry for the live view."""
        return store.blob_of(view_key(self), lambda: view_glb(self))

    def received_view_blob(self) -> str:
        """The same before any mend."""
        return store.blob_of(received_view_key(self), lambda: received_view_glb(self))
