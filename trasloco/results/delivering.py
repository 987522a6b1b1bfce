"""What is handed over: the package, refused while something in it is unaccounted, with its packing list and
report.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass

from trasloco.accounts.model import Accounts
from trasloco.accounts.telling import account_lines, unanswered
from trasloco.decisions.wording import last_words
from trasloco.errors import Refused
from trasloco.handover.packing_list import packing_list
from trasloco.handover.report import ShownProof, write_report
from trasloco.progress import Progress, part_of
from trasloco.results.route import Route


@dataclass(frozen=True)
class Delivery:
    """Files by path, the packing list, the report, and all of it as an archive."""

    files: Mapping[str, bytes]
    accounts: Accounts
    packing_list: str
    report: bytes

    def archive(self) -> bytes:
        """A zip of everything; nothing in it is compressed again."""
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as held:
            for path, data in self.files.items():
                held.writestr(path, data)
            held.writestr("packing-list.txt", self.packing_list)
            held.writestr("report.html", self.report)
        return out.getvalue()


def unaccounted_words(accounts: Accounts, route: Route) -> str:
    """What keeps a package from being delivered, in a few words; empty where nothing does."""
    still = unanswered(accounts, route.decisions)
    return f"{len(still)} unaccounted" if still else ""


def delivered(route: Route, proof: ShownProof | None, report: Progress) -> Delivery:
    """What is handed over, with the proof that stands.

    Raises:
        Refused: something arrived otherwise than anything explains, and nobody said that it is meant.
    """
    package = route.package(part_of(report, 0, 0.6))
    report(0.65, "reading the package back")
    accounts = route.accounts(part_of(report, 0.65, 0.85))
    still = unanswered(accounts, route.decisions)
    if still:
        names = ", ".join(f"{entry.name} ({entry.aspect})" for entry in still[:3])
        count = f"{len(still)} thing{'s' if len(still) > 1 else ''} arrived otherwise than anything explains"
        remedy = "Look at them on this page: mend the cause, or say that it is meant."
        raise Refused(f"{count}. Nothing was delivered.", names, remedy)
    report(0.9, "writing the report")
    listed, page = papers(route, proof)
    return Delivery(package.files, accounts, listed, page)


def papers(route: Route, proof: ShownProof | None) -> tuple[str, bytes]:
    """The packing list and the report of what is delivered, written from the accounts."""
    carried, package, accounts = route.landed(), route.package(), route.accounts()
    words = last_words(route.decisions, route.received().scene)
    lines = account_lines(accounts, route.decisions)
    page = write_report(carried, package, route.findings(), route.source, route.destination, proof, accounts)
    return packing_list(carried, package, route.destination, words, lines), page.encode()
