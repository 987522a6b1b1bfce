"""A package that came back from its destination, read as the destination reads it and held against what was
delivered.
"""

from __future__ import annotations

import posixpath
from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Any

from trasloco.at_rest import Bytes
from trasloco.decisions.kinds import in_force, on_the_wire
from trasloco.errors import Refused
from trasloco.formats.bundle import bundle_files
from trasloco.handover.packing import Package
from trasloco.move import arrive
from trasloco.outside.way_back import way_back
from trasloco.progress import Progress, silent
from trasloco.results.coming_in import safe_path, unlike
from trasloco.results.delivering import PAPERS
from trasloco.results.route import Route


def came_back(
    route: Route, delivered: Mapping[str, Bytes], returned: Mapping[str, Bytes], report: Progress = silent
) -> tuple[list[dict[str, Any]], dict[str, Bytes]]:
    """What is different, as plain values, decisions as they are on the wire; and files of images for the
    source, by path.

    Raises:
        Refused: what came back is no package of the destination's layout.
    """
    report(0.05, "reading what was delivered")
    sent = arrive(Package(dict(delivered)), route.destination, route.reference())
    report(0.3, "reading what came back")
    back = arrive(Package(_as_delivered(delivered, returned)), route.destination, route.reference())
    report(0.6, "comparing")
    placed = [one.target for one in in_force(route.decisions) if one.field == "place"]
    found = way_back(route.reference(), route.landed().plan, sent, back, route.destination, placed)
    files: dict[str, Bytes] = {}
    rows = []
    for one in found:
        image = None
        if one.image is not None:
            path = unlike(safe_path(one.image.path), files)
            files[path] = one.image.data
            image = {
                "path": path,
                "target": one.image.target,
                "channels": one.image.channels,
                "invert": one.image.invert,
            }
        told = asdict(replace(one, image=None))
        rows.append({**told, "decisions": [on_the_wire(d) for d in one.decisions], "image": image})
    return rows, files


def _as_delivered(delivered: Mapping[str, Bytes], returned: Mapping[str, Bytes]) -> dict[str, Bytes]:
    """Files that came back by the paths of the package: out of archives, without a folder above them; what
    did not come back is as it was.
    """
    files = {path: data for path, data in bundle_files(returned).files.items() if path not in PAPERS}
    tops = {path.partition("/")[0] for path in files}
    while (
        len(tops) == 1
        and all("/" in path for path in files)
        and not tops & {p.split("/")[0] for p in delivered}
    ):
        files = {path.partition("/")[2]: data for path, data in files.items()}
        tops = {path.partition("/")[0] for path in files}
    names = {posixpath.basename(path): path for path in delivered}
    placed = {
        path if path in delivered else names.get(posixpath.basename(path), path): data
        for path, data in files.items()
    }
    if not any(path in delivered for path in placed):
        raise Refused(
            "Nothing of it is a file of the package that was delivered.",
            ", ".join(sorted(files)[:3]) or "what came back",
            "Give the changed package, or its changed files under their names.",
        )
    return {**delivered, **placed}
