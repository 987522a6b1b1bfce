"""The gauge of a move's destination: what is handed over, and what the pictures that come back say, as it is kept."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.gauge.boards import boards
from trasloco.gauge.expected import Expected, expected
from trasloco.gauge.handing import AT_ALL, files_of, steps_for
from trasloco.gauge.layout import marks_seen
from trasloco.gauge.marks import placed
from trasloco.gauge.meant import in_words
from trasloco.gauge.measured_sheet import GAUGED, sheet_of
from trasloco.gauge.packing import packed
from trasloco.gauge.reading import Readings, read
from trasloco.gauge.telling import Told
from trasloco.outside.registering import Floats
from trasloco.outside.showing import CURVES
from trasloco.progress import Progress, part_of
from trasloco.results.name import named
from trasloco.results.outside import light_png
from trasloco.results.store import Store
from trasloco.scene.color import luminance, srgb_to_linear
from trasloco.scene.images import identify, pixels, unit_floats
from trasloco.scene.resolve import color_of
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import sheet_toml

BOARDS = ("tones", "shine", "lamps", "around")
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
    pictures: Mapping[str, bytes]
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
        return f"measured, {sure:.2f}"
    return "not seen" if sheet.measured and path in GAUGED else ""


def picture_of(data: bytes, name: str) -> tuple[Floats, bool]:
    """Display light (H, W, 3) of a picture file, and whether it is light without a curve.

    Raises:
        Refused: it is no picture that can be read, or too large.
    """
    image = identify("image:gauge", name, name, data)
    if not image.usable:
        raise Refused(
            image.problem or "It is no picture that can be read.", name, "Give a PNG, JPEG, TIFF or EXR."
        )
    if max(image.width, image.height) > _LARGEST:
        raise Refused(
            f"The picture is {image.width} x {image.height}.",
            name,
            f"Give one of up to {_LARGEST} pixels a side.",
        )
    values = unit_floats(color_of(pixels(image)))
    if image.floating:
        return np.asarray(np.nan_to_num(np.maximum(values, 0), posinf=0.0), np.float32), True
    return np.asarray(srgb_to_linear(values), np.float32), False


def shown_of(data: bytes, name: str) -> bytes:
    """A picture of a board as PNG. Raises Refused where it is none."""
    picture, floating = picture_of(data, name)
    return light_png(np.clip(picture / _white(picture) if floating else picture, 0, 1))


def _white(picture: Floats) -> float:
    return max(float(np.percentile(luminance(picture), 99.0)), 1e-9)


def gauged(
    sheet: Sheet,
    name: str,
    pictures: Mapping[str, tuple[bytes, str]],
    store: Store,
    report: Progress,
) -> Found:
    """Read pictures, bytes and file name by board, of a program that was given the gauge in a sheet's layout.

    Raises:
        Refused: a picture cannot be read, or a board is not found in it.
    """
    wanted = tuple(board for board in BOARDS if board in pictures)
    known = known_looks(sheet, wanted, store, part_of(report, 0, 0.6))
    shown, scale = {}, 0.0
    for board in wanted:
        picture, floating = picture_of(*pictures[board])
        if floating and not scale:
            scale = _LEVEL / _mark_level(picture)
        shown[board] = np.asarray(picture * scale, np.float32) if floating else picture
    found = read(shown, known, part_of(report, 0.6, 0.95))
    made = sheet_of(sheet, name, found)
    told, evidence = _told(found)
    told["changed"] = sorted(made.measured)
    for board, one in found.boards.items():
        evidence[f"seen {board}"] = light_png(np.clip(one.picture, 0, 1))
    return Found(told, evidence, sheet_toml(made))


def _mark_level(picture: Floats) -> float:
    """Luminance of the marks' dots, by which light without a curve is brought into range."""
    lies = placed(picture / _white(picture))
    at = np.round(lies.pixels(marks_seen())).astype(int)
    inside = (at[:, 1] >= 0) & (at[:, 1] < picture.shape[0]) & (at[:, 0] >= 0) & (at[:, 0] < picture.shape[1])
    return max(float(np.median(luminance(picture[at[inside, 1], at[inside, 0]]))), 1e-9)


def _told(found: Readings) -> tuple[dict[str, Any], dict[str, bytes]]:
    evidence: dict[str, bytes] = {}
    lines = [_line(line, evidence) for line in found.lines]
    curve = found.curve
    lies = found.surroundings
    return {
        "curve": {
            "stops": [float(v) for v in curve.stops],
            "shown": [float(v) for v in curve.shown],
            "by": curve.by,
            "formula": curve.formula,
            "delta_e": curve.delta_e,
            "known": list(CURVES),
        },
        "exposures": [
            {"board": board, "stops": one.value, "unsure": one.unsure} for board, one in found.stops.items()
        ],
        "strengths": [
            {"kind": kind, "value": one.value, "unsure": one.unsure} for kind, one in found.strengths.items()
        ],
        "roughness": None
        if found.roughness is None
        else {"kind": "roughness", "value": found.roughness.value, "unsure": found.roughness.unsure},
        "surroundings": None
        if lies is None
        else {
            "turn_deg": lies.turn_deg,
            "mirrored": lies.mirrored,
            "up": lies.up,
            "sure": lies.sure,
            "correlation": lies.correlation,
        },
        "lines": lines,
        "doubts": list(found.doubts),
        "boards": [
            {"board": board, "marks": one.lies.marks, "rms_px": one.lies.rms_px, "bend": one.lies.bend}
            for board, one in found.boards.items()
        ],
    }, evidence


def _line(line: Told, evidence: dict[str, bytes]) -> dict[str, Any]:
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
