"""What is wrong with a bake: where, how much of it is seen, why, and what mends it.

Every fault is measured as a map over the texels in ΔE, on grey at one exposure
(:mod:`trasloco.light.lightmaps.looks`), so that one scale and one limit hold for all.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from trasloco.light.lightmaps.bake_wish import TARGET, Wish
from trasloco.light.lightmaps.baking import Gathered
from trasloco.light.lightmaps.density import MOST_PER_METRE
from trasloco.light.lightmaps.finishing import Finished, sound
from trasloco.light.lightmaps.layout import Laid
from trasloco.light.lightmaps.leaks import CLEAR, OPEN, SEEN, STEP, Floats, Walls, leaks_of, neighbours_of
from trasloco.light.lightmaps.looks import difference, metered
from trasloco.light.lightmaps.stitching import Seams, sides_of
from trasloco.render.arrays import FlatScene
from trasloco.scene.model import Decision

KINDS = ("leak", "seam", "noise", "coarse", "dark", "speck")
NOISE_SEEN = 1.5
COARSE_SHARE, FAULTY_SHARE = 0.2, 0.003
LEAST_TEXELS = 16
"""A fault on fewer texels is not worth a word."""
MOST_SAMPLES = 4096


@dataclass(frozen=True)
class Fault:
    """Something wrong with a part's lightmap.

    Attributes:
        kind: one of KINDS. part: its id. share: of the part's texels. worst: ΔE at the 99th percentile of the
            places that have it.
        text: what is seen. cause: why. cure: what the button says, with the decisions it makes; empty when
            only the source can mend it.
    """

    kind: str
    part: str
    share: float
    worst: float
    text: str
    cause: str
    cure: str = ""
    decisions: tuple[Decision, ...] = ()


@dataclass(frozen=True)
class PartFigures:
    """What was measured of one part, ΔE at the 99th percentile, of noise at the 90th, but ``leak`` and
    ``coarse``, which are shares of its texels; ``seconds`` of one processor that it took.
    """

    leak: float = 0.0
    seam: float = 0.0
    noise: float = 0.0
    coarse: float = 0.0
    texels: int = 0
    seconds: float = 0.0


@dataclass(frozen=True)
class Faults:
    """All that is wrong. ``maps``: for each lightmap, (H, W) ΔE by kind, NaN where nothing can be measured.

    ``figures`` by part.
    """

    found: tuple[Fault, ...]
    maps: tuple[Mapping[str, Floats], ...]
    figures: Mapping[str, PartFigures] = field(default_factory=dict)
    ev100: float = 0.0


def find_faults(
    laid: Laid, flat: FlatScene, gathered: Sequence[Gathered], done: Finished, seams: Seams, wish: Wish
) -> Faults:
    """Look for every kind of fault in finished lightmaps."""
    maps = done.lux
    lit = (
        np.concatenate([m[sound(g)] for m, g in zip(maps, gathered, strict=True)])
        if maps
        else np.zeros((0, 3), np.float32)
    )
    ev100 = metered(lit) if len(lit) else 0.0
    measured: list[dict[str, Floats]] = []
    walls: list[Walls] = []
    for found, lux, error in zip(gathered, maps, done.error, strict=True):
        leak, wall = leaks_of(flat, found, lux, ev100)
        measured.append(
            {
                "leak": leak,
                "seam": np.zeros(leak.shape, np.float32),
                "noise": _noise(found, lux, ev100, error),
                "coarse": _steps(found, lux, ev100),
                "dark": _dark(found, lux, ev100),
                "speck": _specks(found, lux, ev100),
            }
        )
        walls.append(wall)
    _mark_seams(seams, maps, laid, measured, ev100)
    for found, one in zip(gathered, measured, strict=True):
        for kind in KINDS:
            one[kind] = np.where(found.covered.touched, one[kind], np.nan).astype(np.float32)
    figures, faults = {}, []
    for part, id in enumerate(flat.part_ids):
        image = next((k for k, g in enumerate(gathered) if (g.covered.part == part).any()), None)
        if image is None:
            continue
        mine = gathered[image].covered.part == part
        values = {kind: measured[image][kind][mine] for kind in KINDS}
        figures[id] = PartFigures(
            float((values["leak"] > SEEN).mean()),
            _worst(values["seam"]),
            _worst(values["noise"], 90.0),
            float((values["coarse"] > STEP).mean()),
            int(mine.sum()),
            gathered[image].seconds.get(part, 0.0),
        )
        faults += _of_part(
            id, values, figures[id], laid, walls[image].thickness.get(part), gathered[image].samples, wish
        )
    return Faults(
        tuple(sorted(faults, key=lambda f: -f.share * f.worst * figures[f.part].texels)),
        tuple(measured),
        figures,
        ev100,
    )


def cures(faults: Sequence[Fault]) -> dict[str, list[Decision]]:
    """What mends all faults of a kind at once: where several ask for the same thing, the most that any of
    them needs.
    """
    found: dict[str, dict[tuple[str, str], Decision]] = {}
    for fault in faults:
        for decision in fault.decisions:
            held = found.setdefault(fault.kind, {})
            before = held.get((decision.target, decision.field))
            if before is None or decision.value > before.value:
                held[decision.target, decision.field] = decision
    return {kind: list(held.values()) for kind, held in found.items()}


def _worst(values: Floats, most: float = 99.0) -> float:
    known = values[np.isfinite(values)]
    return float(np.percentile(known, most)) if known.size else 0.0


def _of_part(
    part: str,
    values: Mapping[str, Floats],
    figures: PartFigures,
    laid: Laid,
    thickness: float | None,
    samples: int,
    wish: Wish,
) -> list[Fault]:
    name, density = laid.scene.nodes[part].name, laid.density[part]
    finer = min(density * 2, MOST_PER_METRE)
    found = []

    def share(kind: str, limit: float = SEEN) -> tuple[float, float]:
        over = values[kind] > limit
        return float(over.mean()), _worst(values[kind][over]) if over.any() else 0.0

    def more(per_metre: float) -> tuple[str, tuple[Decision, ...]]:
        return (
            (
                f"{per_metre:.0f} texels a metre",
                (Decision(part, "texels_per_metre", float(round(per_metre, 1))),),
            )
            if per_metre > density * 1.05
            else ("", ())
        )

    much, worst = share("leak")
    if much > FAULTY_SHARE and much * figures.texels >= LEAST_TEXELS:
        if thickness is not None and thickness > 1e-3 and 3.0 / thickness <= MOST_PER_METRE:
            cure, decisions = more(max(3.0 / thickness, density * 1.1))
            cause = f"What stands on it is {100 * thickness:.0f} cm thick and a texel {100 / density:.0f} cm wide: the light of one side is blended into the other."
        else:
            cure, decisions = "Light it where it arrives", (Decision(part, "receives", False),)
            cause = "What stands on it has no thickness, so neighbouring texels lie on its two sides and are blended, however small they are."
        found.append(
            Fault("leak", part, much, worst, f"Light leaks through on {name}.", cause, cure, decisions)
        )
    if figures.seam > SEEN and share("seam")[0] * figures.texels >= LEAST_TEXELS:
        cure, decisions = (
            ("", ()) if wish.stitched else ("Stitch seams", (Decision(TARGET, "stitched", True),))
        )
        if wish.stitched:
            cure, decisions = more(finer)
        found.append(
            Fault(
                "seam",
                part,
                share("seam")[0],
                figures.seam,
                f"Seams show on {name}.",
                "The two sides of a chart's border were lit by texels of different places.",
                cure,
                decisions,
            )
        )
    much, worst = share("noise", NOISE_SEEN)
    if figures.noise > NOISE_SEEN and much * figures.texels >= LEAST_TEXELS:
        # The error falls with the root of the paths; half as many again, since it was measured at few.
        needed = samples * max((figures.noise / NOISE_SEEN) ** 2 * 1.5, 2.0)
        again = min(2 ** math.ceil(math.log2(needed)), MOST_SAMPLES)
        cure, decisions = (
            ("Take out noise", (Decision(TARGET, "denoised", True),))
            if not wish.denoised
            else (f"{again} paths a texel", (Decision(TARGET, "paths", again),))
            if again > samples
            else ("", ())
        )
        found.append(
            Fault(
                "noise",
                part,
                much,
                figures.noise,
                f"{name} is blotchy.",
                f"{samples} paths a texel are too few for the light that reaches it.",
                cure,
                decisions,
            )
        )
    if figures.coarse > COARSE_SHARE and figures.texels >= 10 * LEAST_TEXELS:
        cure, decisions = more(finer)
        found.append(
            Fault(
                "coarse",
                part,
                figures.coarse,
                _worst(values["coarse"]),
                f"Light has steps on {name}.",
                f"It changes faster than {density:.0f} texels a metre can follow.",
                cure,
                decisions,
            )
        )
    much, worst = share("dark", CLEAR)
    if much > FAULTY_SHARE and much * figures.texels >= LEAST_TEXELS:
        cure, decisions = more(finer)
        found.append(
            Fault(
                "dark",
                part,
                much,
                worst,
                f"Dark edges on {name}.",
                "Texels at its edges lie partly inside of something else.",
                cure,
                decisions,
            )
        )
    much, worst = share("speck", CLEAR)
    if much > FAULTY_SHARE and much * figures.texels >= LEAST_TEXELS:
        again = min(samples * 4, MOST_SAMPLES)
        cure, decisions = (
            ("Take out noise", (Decision(TARGET, "denoised", True),))
            if not wish.denoised
            else (f"{again} paths a texel", (Decision(TARGET, "paths", again),))
        )
        found.append(
            Fault(
                "speck",
                part,
                much,
                worst,
                f"Light from nowhere on {name}.",
                "Single texels far brighter than all around them: a few paths found something small and bright.",
                cure,
                decisions,
            )
        )
    return found


def _noise(found: Gathered, lux: Floats, ev100: float, error: Floats) -> Floats:
    """ΔE of one standard error (H, W) in lux of a texel."""
    grown = lux * (1 + (error / np.maximum(lux.mean(axis=-1), 1e-9)))[..., None]
    return np.where(sound(found), difference(lux, np.asarray(grown, np.float32), ev100), 0).astype(np.float32)


def _steps(found: Gathered, lux: Floats, ev100: float) -> Floats:
    """Largest ΔE to a neighbour in the same chart."""
    step = np.zeros(lux.shape[:2], np.float32)
    valid = sound(found)
    for one, other in neighbours_of(lux.shape[:2]):
        close = valid[one] & valid[other] & (found.covered.chart[one] == found.covered.chart[other])
        contrast = np.where(close, difference(lux[one], lux[other], ev100), 0)
        step[one], step[other] = np.maximum(step[one], contrast), np.maximum(step[other], contrast)
    return step


def _beside(
    found: Gathered, values: Floats, usable: npt.NDArray[np.bool_], start: float
) -> tuple[Floats, npt.NDArray[np.int32]]:
    """The least (``start`` infinite) or most (minus infinite) of the eight neighbours of each texel that are
    usable and in its chart, and how many those are.
    """
    height, width = values.shape
    best, count = np.full(values.shape, start, np.float32), np.zeros(values.shape, np.int32)
    least = start > 0
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            if dx or dy:
                to = slice(max(-dy, 0), height - max(dy, 0)), slice(max(-dx, 0), width - max(dx, 0))
                of = slice(max(dy, 0), height - max(-dy, 0)), slice(max(dx, 0), width - max(-dx, 0))
                able = usable[of] & (found.covered.chart[to] == found.covered.chart[of])
                value = np.where(able, values[of], start)
                best[to] = np.minimum(best[to], value) if least else np.maximum(best[to], value)
                count[to] += able
    return best, count


def _dark(found: Gathered, lux: Floats, ev100: float) -> Floats:
    """ΔE of texels that lie partly inside of something and are less than half as bright as the darkest
    neighbour in the open.
    """
    whole = found.covered.touched & (found.counted >= OPEN * found.samples)
    light = lux.mean(axis=-1)
    darkest, count = _beside(found, light, whole, np.inf)
    dark = found.covered.touched & ~whole & (count >= 2) & (light < 0.5 * darkest)
    return _against(lux, darkest, dark, ev100)


def _specks(found: Gathered, lux: Floats, ev100: float) -> Floats:
    """ΔE of single texels more than two and a half times as bright as the brightest of their neighbours."""
    light = lux.mean(axis=-1)
    brightest, count = _beside(found, light, sound(found), -np.inf)
    return _against(lux, brightest, sound(found) & (count >= 3) & (light > 2.5 * brightest), ev100)


def _against(lux: Floats, level: Floats, where: npt.NDArray[np.bool_], ev100: float) -> Floats:
    made = np.zeros(level.shape, np.float32)
    if where.any():
        scale = level[where] / np.maximum(lux[where].mean(axis=-1), 1e-9)
        made[where] = difference(lux[where], np.asarray(lux[where] * scale[:, None], np.float32), ev100)
    return made


def _mark_seams(
    seams: Seams, maps: Sequence[Floats], laid: Laid, measured: Sequence[dict[str, Floats]], ev100: float
) -> None:
    if not len(seams.image):
        return
    first, second = sides_of(seams, maps, laid.sizes)
    values = difference(first, second, ev100)
    for side in (0, 1):
        for number, (width, height) in enumerate(laid.sizes):
            mine = seams.image[:, side] == number
            column = np.clip(seams.at[mine, side, 0].astype(int), 0, width - 1)
            row = np.clip(seams.at[mine, side, 1].astype(int), 0, height - 1)
            np.maximum.at(measured[number]["seam"], (row, column), values[mine])


def seam_figure(seams: Seams, maps: Sequence[Floats], laid: Laid, ev100: float) -> float:
    """ΔE across seams at the 99th percentile of points along them."""
    if not len(seams.image):
        return 0.0
    return float(np.percentile(difference(*sides_of(seams, maps, laid.sizes), ev100), 99))
