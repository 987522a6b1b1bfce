"""The gauge of a move's destination: what is handed over, and what the pictures that come back say, as it is
kept.
"""

from __future__ import annotations

import io
import math
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from trasloco.at_rest import Bytes
from trasloco.errors import Refused
from trasloco.gauge.boards import boards
from trasloco.gauge.expected import Expected, expected
from trasloco.gauge.factors import explained
from trasloco.gauge.handing import AT_ALL, files_of, steps_for
from trasloco.gauge.layout import marks_seen
from trasloco.gauge.lengths import in_words as in_words_of_lengths
from trasloco.gauge.lengths import times_too_long
from trasloco.gauge.lines import BY_LINE
from trasloco.gauge.marks import placed
from trasloco.gauge.meant import KINDS, in_words
from trasloco.gauge.measured_sheet import BY_HAND, GAUGED, came_in, sheet_of
from trasloco.gauge.packing import packed
from trasloco.gauge.reading import Readings, read
from trasloco.gauge.telling import Told
from trasloco.outside.registering import Floats
from trasloco.progress import Progress, part_of
from trasloco.results.name import named
from trasloco.results.outside import brought_in_range, light_in, light_png, picture_in
from trasloco.results.store import Store
from trasloco.scene.color import linear_to_srgb, luminance
from trasloco.scene.lengths import Unit
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import sheet_toml

_LEVEL = 0.8
"""What the marks of the first board are shown at where pictures are light without a curve."""
_LARGEST = 4096
_ENLARGED = 2


@dataclass(frozen=True)
class Handed:
    """The gauge as one archive, and what to do with each board."""

    archive: bytes
    told: dict[str, Any]


@dataclass(frozen=True)
class Found:
    """What pictures say: figures, PNG by name, and the sheet that comes of it as TOML."""

    told: dict[str, Any]
    pictures: Mapping[str, Bytes]
    sheet: str


def handed(sheet: Sheet) -> Handed:
    """The boards in the layout of a sheet. Raises Refused where it has none."""
    packages = {key: packed(board, sheet) for key, board in boards().items()}
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as held:
        for path, data in sorted(files_of(packages, sheet).items()):
            held.writestr(zipfile.ZipInfo(path, (2026, 1, 1, 0, 0, 0)), data)
    told = {
        "at_all": list(AT_ALL),
        "boards": [
            {"key": key, "title": one.board.title, "steps": steps_for(one, sheet)}
            for key, one in packages.items()
        ],
    }
    return Handed(out.getvalue(), told)


def looks_of(sheet: Sheet, board: str, store: Store, report: Progress) -> Expected:
    """How a board looks by every reading, rendered once for a layout."""
    lines = sheet.model_dump(
        mode="json", exclude={"name", "summary", "notes", "meanings", "measured", "habits"}
    )
    name = named(f"gauge {board}", ("trasloco.gauge.expected", "trasloco.gauge.packing"), lines)
    made: Expected = store.get_or_make(name.key, lambda: expected(packed(boards()[board], sheet), report))
    return made


def known_looks(sheet: Sheet, wanted: tuple[str, ...], store: Store, report: Progress) -> dict[str, Expected]:
    """By board."""
    share = 1 / max(len(wanted), 1)
    return {
        board: looks_of(sheet, board, store, part_of(report, k * share, (k + 1) * share))
        for k, board in enumerate(wanted)
    }


def meanings_of(sheet: Sheet) -> list[dict[str, str]]:
    """What was measured and no line of a sheet says, in words, and how it was measured."""
    return [{"words": words, "measured": how_measured(sheet, path)} for path, words in in_words(sheet)]


def how_measured(sheet: Sheet, path: str) -> str:
    """Whether a gauge told of a line of a sheet; nothing where none was read for it, or could tell."""
    sure = sheet.measured.get(path)
    if sure is not None:
        return "looked up" if path in BY_HAND else f"measured, {sure:.2f}"
    return "not seen" if sheet.measured and path in GAUGED else ""


def rod_of(length: float, unit: Unit) -> dict[str, Any]:
    """A measured rod as it is kept. Raises Refused where no rod is so long."""
    times_too_long(length, unit)
    return {"length": length, "unit": unit}


def shown_of(data: bytes, name: str) -> bytes:
    """A picture of a board as PNG. Raises Refused where it is none, or too large."""
    picture = picture_in(data, name)
    if max(picture.shape[:2]) > _LARGEST:
        raise Refused(
            f"The picture is {picture.shape[1]} x {picture.shape[0]}.",
            name,
            f"Give one of up to {_LARGEST} pixels a side.",
        )
    return light_png(picture)


def gauged(
    sheet: Sheet,
    name: str,
    pictures: Mapping[str, tuple[bytes, str]],
    store: Store,
    report: Progress,
    rod: tuple[float, Unit] | None = None,
) -> Found:
    """Read pictures, bytes and file name by board, of a program that was given the gauge in a sheet's layout.
    ``rod`` is how long the program shows the rod to be, if that was looked up.

    Raises:
        Refused: a picture cannot be read, or a board is not found in it.
    """
    wanted = tuple(board for board in boards() if board in pictures)
    known = known_looks(sheet, wanted, store, part_of(report, 0, 0.6))
    shown, scale = {}, 0.0
    for board in wanted:
        picture, is_light = light_in(*pictures[board])
        if is_light and not scale:
            scale = _LEVEL / _mark_level(picture)
        shown[board] = np.asarray(picture * scale, np.float32) if is_light else picture
    found = read(shown, known, part_of(report, 0.6, 0.95))
    times = None if rod is None else times_too_long(*rod)
    made = sheet_of(sheet, name, found, times)
    told, evidence = _told(found)
    told["lengths"] = {"times": times, "words": in_words_of_lengths(found.strengths, times)}
    return Found(told, evidence, sheet_toml(made))


def _mark_level(picture: Floats) -> float:
    """Luminance of the marks' dots, by which light without a curve is brought into range."""
    lies = placed(brought_in_range(picture))
    at = np.round(lies.pixels(marks_seen())).astype(int)
    inside = (at[:, 1] >= 0) & (at[:, 1] < picture.shape[0]) & (at[:, 0] >= 0) & (at[:, 0] < picture.shape[1])
    return max(float(np.median(luminance(picture[at[inside, 1], at[inside, 0]]))), 1e-9)


def _told(found: Readings) -> tuple[dict[str, Any], dict[str, Bytes]]:
    evidence: dict[str, Bytes] = {}
    # Alpha in a place that a layout has not is nothing to tell of.
    told = [line for line in found.lines if line.state != "not seen" or BY_LINE[line.key].alpha is None]
    lines = [_line(line, evidence) for line in told]
    curve = found.curve
    lies = found.surroundings
    return {
        "curve": {
            "stops": [float(v) for v in curve.stops],
            "codes": [float(v) for v in linear_to_srgb(curve.shown) * 255],
            "by": curve.by,
            "formula": curve.formula,
            "delta_e": curve.delta_e,
        },
        "exposures": [
            {"board": board, "stops": one.value, "unsure": one.unsure} for board, one in found.stops.items()
        ],
        "strengths": [
            {
                "label": KINDS[kind],
                "there": came_in(one),
                "value": one.value,
                "unsure": one.unsure,
                "words": explained(kind, one),
            }
            for kind, one in found.strengths.items()
        ],
        "roughness": None
        if found.roughness is None
        else {"value": found.roughness.value, "unsure": found.roughness.unsure},
        "surroundings": None
        if lies is None
        else {
            "turn_deg": lies.turn_deg,
            "unsure_deg": math.degrees(lies.unsure_rad),
            "mirrored": lies.mirrored,
            "up": lies.up,
            "confidence": lies.confidence,
            "sure": lies.sure,
        },
        "lines": lines,
        "doubts": list(found.doubts),
        "boards": [
            {"board": board, "marks": one.lies.marks, "rms_px": one.lies.rms_px}
            for board, one in found.boards.items()
        ],
    }, evidence


def _line(line: Told, evidence: dict[str, Bytes]) -> dict[str, Any]:
    for one in line.evidence:
        strip = np.concatenate([one.mine, one.first, one.second], axis=1)
        codes = np.kron(np.clip(strip, 0, 1), np.ones((_ENLARGED, _ENLARGED, 1), np.float32))
        evidence[f"{line.key} {one.cell}"] = light_png(codes)
    return {
        "key": line.key,
        "path": line.path,
        "label": line.label,
        "state": line.state,
        "words": line.words,
        "next_words": line.next_words,
        "confidence": line.confidence,
        "delta_e": line.delta_e,
        "evidence": [f"{line.key} {one.cell}" for one in line.evidence],
    }
