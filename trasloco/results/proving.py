"""Proofs on the route: what is asked for, the proof with its pictures, a clip frame by frame, and what is to
blame.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

from trasloco import move as verbs
from trasloco.errors import Refused
from trasloco.handover.report import ShownProof as ShownProof
from trasloco.handover.report import judged_at
from trasloco.processors import processors
from trasloco.progress import Progress, Sparing, part_of
from trasloco.proof.compare import Verdict
from trasloco.proof.light_there import in_some_light
from trasloco.proof.picturing import difference_png, flip_png, picture_exr, picture_png, preview_png
from trasloco.proof.proving import Proof, Side, ViewProof, lit_alike, look_first
from trasloco.proof.sequence import frame_times
from trasloco.proof.staging import effects_of, exposure_of, limits_of, main_views, views_for
from trasloco.render.exposure import auto_ev100
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render, views_of
from trasloco.results.fitting import can_be_fitted
from trasloco.results.route import Route
from trasloco.scene.digest import digest
from trasloco.sheets.model import AfterEffect
from trasloco.summary import causes_json, frame_json, proof_json

Begun = dict[str, tuple[Picture | None, Picture | None]]
"""By view, both sides of a proof as far as they got."""
OnPicture = Callable[[str, Side, bytes], None]
"""Hears of a view's side as it comes, PNG."""


_KEPT_EVERY_S = 8.0
"""How often unfinished pictures are kept beyond the process that draws them."""
USUAL = Quality()
"""What is asked of pictures where nothing is said."""
LIMITS: Mapping[str, tuple[int, int]] = {
    "width": (16, 3840),
    "height": (16, 2160),
    "samples": (1, 4096),
    "bounces": (0, 16),
    "threads": (0, 64),
    "seconds": (0, 86400),
}
"""The least and the most that may be asked, both included."""


def quality_of(settings: Mapping[str, Any], usual: Mapping[str, Any] | None = None) -> Quality:
    """What is asked of pictures; what is no number is as usual, and everything is kept within bounds."""
    asked = {**asdict(USUAL), **(usual or {}), **settings}

    def whole(name: str) -> int:
        value, (low, high) = asked[name], LIMITS[name]
        sound = isinstance(value, int | float) and value == value and abs(value) < 1e9
        return min(max(int(value), low), high) if sound else int(getattr(USUAL, name))

    half = max(processors() // 2, 1)
    threads = half if asked.get("share") == "half" else whole("threads")
    return Quality(
        whole("width"),
        whole("height"),
        whole("samples"),
        whole("bounces"),
        threads,
        float(whole("seconds")),
    )


CLOSEST, WIDEST = 0.02, 10.0
"""The least and the most ΔE that a proof can be asked to be known to."""
KNOWN_TO: Mapping[float, int] = {0.5: 512, 0.3: 1024, 0.1: 4096}
"""To how much ΔE a page offers to prove, widest first, and with how many samples a pixel, in the mean, a
proof to so much or more ends that is not known by then.
"""


def most_samples(within: float) -> int:
    """With how many samples, in the mean, a proof ends that was to be known to so much."""
    return next((most for known, most in KNOWN_TO.items() if within >= known), max(KNOWN_TO.values()))


def within_of(settings: Mapping[str, Any]) -> float:
    """To how much ΔE a proof is to be known; 0 where it is asked for by samples."""
    asked = settings.get("within")
    sound = isinstance(asked, int | float) and not isinstance(asked, bool) and 0 < asked < math.inf
    return min(max(float(asked), CLOSEST), WIDEST) if sound else 0.0  # type: ignore[arg-type]


@dataclass(frozen=True)
class Asked:
    """What a proof is asked for."""

    views: tuple[View, ...]
    quality: Quality
    ev100: float | None
    limits: Verdict
    effects: tuple[AfterEffect, ...]
    stand_in: bool
    within: float = 0.0
    """To how much ΔE the subject is to be known; 0 for samples as they are asked for."""


def asked_of(route: Route, settings: Mapping[str, Any]) -> Asked:
    """What settings ask for: a view by its name, all of them, or what is proved where nothing is said."""
    reference = route.reference()
    views = views_for(reference, route.decisions)
    wanted = settings.get("view")
    named = [view for view in views if view.name == wanted]
    usual = named if named and named[0] is not views[0] else main_views(reference, views)
    seen = views if wanted == "all" else usual
    within = within_of(settings)
    quality = quality_of(settings, {"samples": most_samples(within)} if within else None)
    area = settings.get("area")
    if area is not None:
        seen = [part_of_view((named or views)[0], area)]
        quality = _shaped(quality, seen[0])
    return Asked(
        tuple(seen),
        quality,
        exposure_of(route.decisions),
        limits_of(route.decisions),
        tuple(effects_of(route.decisions, route.destination)),
        bool(settings.get("stand_in")),
        within,
    )


def part_of_view(view: View, area: Iterable[float]) -> View:
    """A view of which an area fills the picture, named for it.

    Raises:
        Refused: it is no area of the frame, or less than a hundredth of its side.
    """
    left, top, right, bottom = (float(v) for v in area)
    least = 0.01
    if not (left >= 0 and left + least <= right <= 1 and top >= 0 and top + least <= bottom <= 1):
        raise Refused(
            "That is no area of the picture.",
            ", ".join(f"{v:g}" for v in (left, top, right, bottom)),
            "Give left, top, right and bottom from 0 to 1, a hundredth apart at least.",
        )
    words = f"{100 * left:.0f}–{100 * right:.0f} % across, {100 * top:.0f}–{100 * bottom:.0f} % down"
    return replace(view, name=f"{view.name}, {words}", window=(left, top, right, bottom))


def _shaped(quality: Quality, view: View) -> Quality:
    """The asked width and height are the whole frame's shape; the picture of an area has that area's, as wide
    or as high as asked.
    """
    left, top, right, bottom = view.window
    shape = quality.width * (right - left) / (quality.height * (bottom - top))
    height = max(round(quality.width / shape), LIMITS["height"][0])
    if height > LIMITS["height"][1]:
        height = LIMITS["height"][1]
        return replace(quality, width=max(round(height * shape), LIMITS["width"][0]), height=height)
    return replace(quality, height=height)


def proof_key(route: Route, asked: Asked) -> str:
    """Equal for proofs that would show and measure the same."""
    return digest(
        "proof",
        route.landed_name.inputs,
        route.proving_code,
        [asdict(view) for view in asked.views],
        replace(asked.quality, threads=0),
        asked.ev100,
        asked.limits,
        asked.effects,
        asked.stand_in,
        asked.within,
    )


def pictures_key(route: Route, asked: Asked) -> str:
    """Equal for proofs whose unfinished pictures can be gone on from."""
    quality = asked.quality
    views = [asdict(view) for view in asked.views]
    return digest("pictures", route.landed_name.key, quality.width, quality.height, quality.bounces, views)


def prove(route: Route, asked: Asked, report: Progress, on_picture: OnPicture) -> Proof:
    """The proof. Pictures are kept as they come: one that was cancelled, or is asked for with more samples,
    goes on from them.
    """
    # Told before anything is made: what is dark would be so after minutes, too.
    seen, _, _ = lit_alike(route.reference(), route.reference(), asked.stand_in)
    key, keeper = f"begun {pictures_key(route, asked)}", route.store
    begun: Begun = dict(keeper.get(key) or {})
    kept = [time.monotonic()]
    resume = {
        view: pair
        for view, pair in begun.items()
        if all(one is None or one.samples <= asked.quality.samples for one in pair)
    }

    looked = Sparing()

    def on_pass(view: str, side: Side, picture: Picture, ev: float) -> None:
        looked.now_and_then((view, side), lambda: on_picture(view, side, preview_png(picture, ev)))

    def keep(view: str, side: Side, picture: Picture) -> None:
        before = begun.get(view, (None, None))
        begun[view] = (picture, before[1]) if side == "reference" else (before[0], picture)
        keeper.remember(key, dict(begun))
        if time.monotonic() - kept[0] > _KEPT_EVERY_S:
            keeper.put(key, dict(begun))
            kept[0] = time.monotonic()

    if not route.has_package():
        look_first(flatten(seen), asked.views[0], asked.quality, asked.ev100, on_pass)
    arrival = route.arrival(part_of(report, 0, 0.25))
    return verbs.prove(
        route.reference(),
        arrival,
        asked.views,
        asked.quality,
        asked.ev100,
        asked.limits,
        part_of(report, 0.25, 0.98),
        on_pass,
        resume,
        keep,
        asked.effects,
        asked.stand_in,
        asked.within,
    )


def figures_of(route: Route, proof: Proof, asked: Asked, settings: Mapping[str, Any]) -> dict[str, Any]:
    """A proof's figures as they are kept."""
    known = max(half_width(one) for one in proof.views)
    return {
        **proof_json(proof, route.reference()),
        "key": proof_key(route, asked),
        "settings": dict(settings),
        "effects": [effect.name for effect in asked.effects],
        "asked_within": asked.within or None,
        "within": known,
        "known_as_asked": known <= asked.within if asked.within else None,
    }


def half_width(one: ViewProof) -> float:
    """To how much ΔE the subject of a view is known."""
    return (one.comparison.subject.high - one.comparison.subject.low) / 2


def pictures_of(proof: Proof) -> dict[str, dict[str, bytes]]:
    """By view: PNG of both sides and their differences, EXR of both sides."""
    return {
        one.view.name: {
            "reference": picture_png(one.reference, one.ev100),
            "arrival": picture_png(one.arrival, one.ev100),
            "difference": difference_png(one.comparison.delta_e),
            "flip": flip_png(one.comparison.flip),
            "reference_exr": picture_exr(one.reference),
            "arrival_exr": picture_exr(one.arrival),
        }
        for one in proof.views
    }


def shown_of(figures: Mapping[str, Any], picture: Callable[[str, str], bytes | None]) -> ShownProof | None:
    """A kept proof as a report shows it; ``picture`` gives a view's side."""
    if "judged" not in figures:
        return None
    words = [
        figures["verdict"],
        f"subject ΔE {figures['subject']['value']:.1f}",
        f"whole frame {figures['frame']['value']:.1f}",
    ]
    worst = figures.get("worst_material")
    words += [f"worst material {worst['name']}, {worst['value']:.1f}"] if worst else []
    words += ["seen in a stand-in light, since nothing lights the scene"] if figures.get("stand_in") else []
    words += [judged_at([float(one["ev100"]) for one in figures["views"]])]
    words += [f"not shown: {one}" for one in figures.get("unseen", ())]
    views = []
    for one in figures["views"]:
        before, after, apart = (picture(one["name"], side) for side in ("reference", "arrival", "difference"))
        if before is not None and after is not None and apart is not None:
            views.append((one["name"], float(one["judged"]), before, after, apart))
    return ShownProof(f"ΔE {figures['judged']:.1f}", "; ".join(words), tuple(views), _blamed(figures))


def _blamed(figures: Mapping[str, Any]) -> tuple[tuple[str, str], ...]:
    """What is to blame where that was asked, each with its share."""
    told = figures.get("causes") or {}
    return tuple(
        (
            f"{one['label']}, {one['where']}" if one["where"] else one["label"],
            f"ΔE {one['share']:.2f} of {told['mean']:.2f}: {one['reason']}",
        )
        for one in told.get("causes", ())
        if one["significant"]
    )


@dataclass(frozen=True)
class Sequence:
    """A clip that is proved frame by frame: what is told of it, and each frame with PNG of both sides and
    their difference, as it comes.
    """

    told: dict[str, Any]
    frames: Iterator[tuple[dict[str, Any], dict[str, bytes]]]


def sequence_of(route: Route, settings: Mapping[str, Any], report: Progress) -> Sequence:
    """A clip from the asked view, or the first. Raises Refused where there is no such clip, or too much."""
    reference = route.reference()
    views = views_for(reference, route.decisions)
    view = next((one for one in views if one.name == settings.get("view")), views[0])
    clip, asked = str(settings.get("clip", "")), settings.get("rate")
    rate = float(asked) if isinstance(asked, int | float) and asked > 0 else 12.0
    frame_times(reference, clip, rate)
    quality = quality_of(settings, {"width": 320, "height": 180, "samples": 16, "bounces": 3})
    told = {
        "clip": clip,
        "clip_name": reference.clips[clip].name,
        "view": view.name,
        "rate": rate,
        "plan": route.landed_name.inputs,
    }

    exposure, stand_in = exposure_of(route.decisions), bool(settings.get("stand_in"))
    lit_alike(reference, reference, stand_in)

    def frames() -> Iterator[tuple[dict[str, Any], dict[str, bytes]]]:
        arrival = route.arrival(part_of(report, 0, 0.1))
        effects = effects_of(route.decisions, route.destination)
        shown = part_of(report, 0.1, 1)
        for frame in verbs.prove_clip(
            reference, arrival, clip, view, rate, quality, exposure, effects, shown, stand_in
        ):
            pictures = {
                "reference": picture_png(frame.reference, frame.ev100),
                "arrival": picture_png(frame.arrival, frame.ev100),
                "difference": difference_png(frame.comparison.delta_e),
            }
            yield frame_json(frame), pictures

    return Sequence(told, frames())


def blame(route: Route, figures: Mapping[str, Any], report: Progress) -> dict[str, Any]:
    """What the difference of a kept proof is made of, in its worst view."""
    view, quality, ev100 = worst_view(route, figures)
    arrival = route.arrival(part_of(report, 0, 0.1))
    shown = part_of(report, 0.1, 1)
    found = verbs.blame(route.reference(), arrival, route.plan(), view, ev100, quality, shown)
    return causes_json(found, can_be_fitted(route.plan(), route.reference()))


_ON_HALF, _ENOUGH = 8, 128
"""Half the size and half the samples are an eighth of the paths. Samples beyond which what is measured so becomes
hardly better known.
"""


def worst_view(route: Route, figures: Mapping[str, Any]) -> tuple[View, Quality, float]:
    """The worst view of a kept proof, the quality and the exposure it was drawn with.

    What is measured beside a proof that is known to so much, at half the size and samples, draws about as many
    paths as it came to need, and no more once it was drawn much further.

    Raises:
        Refused: it is there no more.
    """
    name = figures["worst_view"]
    settings = figures.get("settings", {})
    asked = asked_of(route, settings)
    known = (*asked.views, *views_for(route.reference(), route.decisions))
    view = next((one for one in known if one.name == name), None)
    if view is None:
        raise Refused("The view of this proof is gone.", name, "Prove again from a view that is there.")
    told = next(one for one in figures["views"] if one["name"] == name)
    quality = asked.quality if view in asked.views else quality_of(settings)
    enough = min(max(round(_ON_HALF * told["samples"]), 1), _ENOUGH) if asked.within else quality.samples
    return view, replace(quality, samples=min(quality.samples, enough)), float(told["ev100"])


def first_look(route: Route) -> tuple[bytes, str]:
    """A small picture of the reference, PNG, in stand-in light where it has none, and what lights it in
    words.
    """
    scene = route.reference()
    shown = in_some_light(scene)
    look = render(flatten(shown), views_of(scene)[0], Quality(240, 135, 12, 2))
    count = len(scene.lights)
    lights = f"{count} {'light' if count == 1 else 'lights'}" if count else ""
    words = lights or ("environment only" if scene.environment is not None else "no light")
    return picture_png(look, auto_ev100(look.radiance)), words
