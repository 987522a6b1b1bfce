"""The return note: what only the source can cure, and what to look for where it was exported, in general
words.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from trasloco.scene.findings import Finding

ADVICE: Mapping[str, str] = {
    "missing_image": "Export with all images copied beside the model, or packed into the file.",
    "unreadable_image": "Save the image again; it is damaged or of a kind that others do not read.",
    "unit": "Let the export state its unit, and apply scale before it.",
    "axis": "Let the export state which axis is up, or turn everything before it.",
    "faces_away": "Recalculate the normals to look outside, and apply mirrored scale, before export.",
    "seen_from_behind": "Give thin things a thickness or a second side, or mark their material as two-sided.",
    "holes": "Close the openings where the thing was modelled.",
    "open_box": "Put the missing sides back.",
    "overlap": "Delete one of the faces that lie on each other.",
    "duplicate": "Send each thing once; hidden copies travel too.",
    "duplicate_set": "Send each thing once; hidden copies travel too.",
    "stray": "Export only what is chosen, without helpers and leftovers.",
    "missing_normals": "Export normals.",
    "missing_uvs": "Unwrap it before export, and export UVs.",
    "mixed_tangents": "Leave tangents out of the export, or write them for all.",
    "leftover_tint": "Leave vertex colours out of the export where nothing reads them.",
    "ignored_colors": "Leave vertex colours out of the export where nothing reads them.",
    "color_storage": "Let the export state whether vertex colours are linear.",
    "broken_keys": "Bake the motion to plain keys before export.",
    "motion_unread": "Bake the motion to transforms, joints or shapes before export.",
    "motion_damaged": "Export the clip again; its keys are out of order.",
    "skin_weights": "Normalise the weights of joints.",
    "absurd_light": "State lamps in candela, lux or nit, or leave them out.",
    "lost_lamp": "Turn on lamps in the export; their places came, their light did not.",
    "graph": "Bake procedural nodes to images before export.",
    "shader": "Use the standard surface, or bake to images, before export.",
    "unknown": "Send an open format beside it, such as glTF or OpenUSD.",
    "unknown_extension": "Turn extensions off that are no open standard.",
    "wrong_extension": "Keep the ending of an image when it is saved in another format.",
    "far_from_origin": "Bring the scene to the origin before export.",
    "not_triangles": "Export polygons; lines and points were left out.",
    "assumed": "Let the export state what had to be assumed.",
}
"""By kind of finding, what whoever exports can do about it."""
ONLY_THERE = frozenset(
    {"missing_image", "unreadable_image", "unknown", "motion_unread", "holes", "open_box", "graph", "shader"}
)
"""Kinds that cannot be cured here as they were meant, or only made up."""


@dataclass(frozen=True)
class Note:
    """One thing for the sender: what and where, what was done about it here, and what would have saved that."""

    title: str
    where: str
    here: str
    there: str
    only_there: bool


def notes_for(findings: Sequence[Finding]) -> list[Note]:
    """What to tell whoever sent it, what only they can cure first."""
    made = []
    for finding in findings:
        if finding.kind not in ADVICE:
            continue
        only = finding.kind in ONLY_THERE and finding.state != "mended"
        here = {"mended": "mended here", "accepted": "left as it is", "open": "not cured"}[finding.state]
        made.append(Note(finding.title, finding.where, here, ADVICE[finding.kind], only))
    return sorted(made, key=lambda note: not note.only_there)


def note_text(name: str, findings: Sequence[Finding]) -> str:
    """The note as plain text, one paragraph a kind of advice."""
    notes = notes_for(findings)
    lines = [f"About {name}, for whoever exported it", ""]
    if not notes:
        return "\n".join([*lines, "Nothing: it came as it should.", ""])
    for only, title in ((True, "Only the source can cure"), (False, "Would be saved next time")):
        held = [note for note in notes if note.only_there == only]
        if not held:
            continue
        lines += [title, ""]
        for advice in dict.fromkeys(note.there for note in held):
            lines.append(f"  {advice}")
            lines += [f"    {one.title}: {one.where} ({one.here})" for one in held if one.there == advice]
            lines.append("")
    return "\n".join(lines)
