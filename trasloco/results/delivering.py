"""What is handed over: the package, refused while something in it is unaccounted, with its packing list and
report.
"""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass

from trasloco.accounts.model import Accounts
from trasloco.accounts.telling import account_lines, unanswered
from trasloco.at_rest import Bytes, mapped
from trasloco.decisions.wording import last_words
from trasloco.errors import Refused
from trasloco.handover.for_the_sender import note_text
from trasloco.handover.how_to_import import steps_of
from trasloco.handover.packing_list import packing_list
from trasloco.handover.purposes import purposes
from trasloco.handover.report import ShownProof, write_report
from trasloco.limits import LIMITS
from trasloco.progress import Progress, part_of
from trasloco.results.listing.listing import list_json, list_text
from trasloco.results.portraits import portraits
from trasloco.results.route import Route


@dataclass(frozen=True)
class Delivery:
    """Files by path with what each is for, the packing list (as text and for programs), what is in the
    package and how it arrived, the report, how to import it, and all of it as an archive.
    """

    files: Mapping[str, Bytes]
    accounts: Accounts
    packing_list: str
    report: bytes
    contents: str
    listed: str
    for_sender: str
    purposes: Mapping[str, str]
    steps: list[str]

    def archive(self) -> Bytes:
        """A zip of everything; nothing in it is compressed again."""
        files = {**self.files, **papers_of(self)}
        with tempfile.SpooledTemporaryFile(LIMITS.held_bytes) as out:
            with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as held:
                for path, data in files.items():
                    held.writestr(path, data)
            if sum(map(len, files.values())) > LIMITS.held_bytes:
                return memoryview(mapped(out))
            out.seek(0)
            return out.read()


LIST, LISTED = "packing-list.txt", "packing-list.json"
"""What the packing list is called beside a package: as text, and for programs."""


PAPERS = frozenset({LIST, LISTED, "contents.txt", "report.html", "return-note.txt"})
"""What lies beside every package."""


def papers_of(delivery: Delivery) -> dict[str, Bytes]:
    """What lies beside a package, by name."""
    return {
        LIST: delivery.packing_list.encode(),
        LISTED: delivery.listed.encode(),
        "contents.txt": delivery.contents.encode(),
        "report.html": delivery.report,
        "return-note.txt": delivery.for_sender.encode(),
    }


def listed_in(archive: bytes) -> str | None:
    """The packing list of a delivery for programs, by its archive; None where it has none."""
    with zipfile.ZipFile(io.BytesIO(archive)) as held:
        return held.read(LISTED).decode() if LISTED in held.namelist() else None


def list_in(archive: bytes) -> str | None:
    """The packing list of a delivery by its archive; None where it has none that can be handed back."""
    with zipfile.ZipFile(io.BytesIO(archive)) as held:
        return held.read(LIST).decode() if "contents.txt" in held.namelist() else None


def unaccounted_words(accounts: Accounts, route: Route) -> str:
    """What keeps a package from being delivered, in a few words; empty where nothing does."""
    still = unanswered(accounts, route.decisions)
    return f"{len(still)} unaccounted" if still else ""


def delivered(
    route: Route,
    proof: ShownProof | None,
    report: Progress,
    number: int | None = None,
    meant: bool = False,
) -> Delivery:
    """What is handed over, with the proof that stands, under a number where it has one. ``meant``: also what
    arrives otherwise than anything explains.

    Raises:
        Refused: something arrived otherwise than anything explains, and nobody said that it is meant.
    """
    if not (scene := route.reference()).parts() and not scene.lights and not scene.materials:
        raise Refused(
            "Nothing comes along: the package would be empty.",
            scene.name,
            "Take parts along again on the Inventory stop.",
        )
    package = route.package(part_of(report, 0, 0.6))
    report(0.65, "reading the package back")
    accounts = route.accounts(part_of(report, 0.65, 0.85))
    still = unanswered(accounts, route.decisions)
    if still and not meant:
        names = ", ".join(f"{entry.name} ({entry.aspect})" for entry in still[:3])
        count = f"{len(still)} thing{'s' if len(still) > 1 else ''} arrived otherwise than anything explains"
        remedy = "Look at them on this page: mend the cause, or say that it is meant."
        raise Refused(f"{count}. Nothing was delivered.", names, remedy)
    report(0.9, "writing the report")
    contents, page = _written(route, proof)
    entries = list_text(route, number), list_json(route, number)
    note = note_text(route.reference().name, route.findings())
    landed = route.landed()
    files = {**package.files, **_pictured(route, part_of(report, 0.92, 1))}
    told, steps = purposes(files, landed), steps_of(package.files, landed.scene, route.destination)
    return Delivery(files, accounts, entries[0], page, contents, entries[1], note, told, steps)


def _pictured(route: Route, report: Progress) -> Mapping[str, Bytes]:
    """Pictures that the sheet wants beside the package, of what arrives."""
    how = route.destination.package.pictures
    return {} if how == "none" else portraits(route.reference(), route.arrival(), how, report)


def _written(route: Route, proof: ShownProof | None) -> tuple[str, bytes]:
    """What is in the package with how it arrived, and the report, written from the accounts."""
    carried, package, accounts = route.landed(), route.package(), route.accounts()
    words = last_words(route.decisions, route.received().scene)
    lines = account_lines(accounts, route.decisions)
    page = write_report(carried, package, route.findings(), route.source, route.destination, proof, accounts)
    return packing_list(carried, package, route.destination, words, lines), page.encode()
