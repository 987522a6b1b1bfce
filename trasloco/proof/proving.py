"""A proof: reference and arrival rendered alike from the same views, and the difference measured."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from trasloco.errors import Refused
from trasloco.hands.setting import hands
from trasloco.progress import Progress, part_of, silent
from trasloco.proof.compare import Comparison, Verdict, compare
from trasloco.proof.effects import seen_through
from trasloco.proof.light_there import in_stand_in_light, is_lit, not_shown
from trasloco.proof.refining import aim_of, refined
from trasloco.proof.staging import staged
from trasloco.render.arrays import FlatScene
from trasloco.render.exposure import auto_ev100
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render
from trasloco.scene.images import decode_ahead
from trasloco.scene.model import Scene
from trasloco.scene.resolve import drawn_images
from trasloco.sheets.model import AfterEffect

_LEAST_NIT = 1e-7
Side = Literal["reference", "arrival"]
Keep = Callable[[str, Side, Picture], None]
"""Called after every pass with the view's name, the side and the picture, for whoever wants to go on from it
later.
"""
OnPass = Callable[[str, Side, Picture, float], None]
"""Called with the view's name, the side, the picture so far and the exposure."""


@dataclass(frozen=True)
class ViewProof:
    """One view of a proof."""

    view: View
    reference: Picture
    arrival: Picture
    ev100: float
    comparison: Comparison
    seconds: tuple[float, float]


@dataclass(frozen=True)
class Proof:
    """All views; the verdict is that of the worst of them, by its subject or its worst material, ``at_least``
    that of the low end of what it lies within.

    ``stand_in`` says that nothing lights the scene and both sides were seen in a light of ours. ``unseen`` is
    what the pictures cannot show. ``dark`` are
    views that no light reaches: nothing can be judged there, and they do not count.
    """

    views: tuple[ViewProof, ...]
    verdict: str
    at_least: str = ""
    stand_in: bool = False
    unseen: tuple[str, ...] = ()
    dark: tuple[str, ...] = ()

    @property
    def worst(self) -> ViewProof:
        seen = [one for one in self.views if one.view.name not in self.dark]
        return max(seen or self.views, key=lambda one: one.comparison.judged)


def in_same_surroundings(reference: Scene, arrival: Scene) -> Scene:
    """The arrival under the reference's environment and before its backdrop, where the destination takes none
    of its own.
    """
    if arrival.backdrop is None and reference.backdrop is not None:
        behind = reference.images[reference.backdrop.image]
        arrival = replace(arrival, backdrop=reference.backdrop, images={**arrival.images, behind.id: behind})
    if arrival.environment is not None or reference.environment is None:
        return arrival
    image = reference.images[reference.environment.image]
    return replace(arrival, environment=reference.environment, images={**arrival.images, image.id: image})


def under_light_of(reference: Scene, arrival: Scene) -> Scene:
    """The arrival lit by the reference's own lights and environment, to judge surfaces alone."""
    dark = {id: replace(node, light=None) for id, node in arrival.nodes.items()}
    world = reference.world_matrices()
    lamps = {
        f"{node.id}@light": replace(
            node, id=f"{node.id}@light", parent=None, matrix=world[node.id], mesh=None, camera=None
        )
        for node in reference.nodes.values()
        if node.light
    }
    return in_same_surroundings(
        reference, replace(arrival, nodes={**dark, **lamps}, lights=dict(reference.lights), environment=None)
    )


def lit_alike(reference: Scene, arrival: Scene, stand_in: bool) -> tuple[Scene, Scene, bool]:
    """Both sides as they are seen, and whether a light of ours stands in because nothing lights the scene.

    Raises:
        Refused: nothing lights the reference, and no light may stand in.
    """
    if is_lit(reference):
        return reference, arrival, False
    if not stand_in:
        raise Refused(
            "Nothing lights this scene: both pictures would be black.",
            reference.name,
            "Prove it in a stand-in light, or give it a lamp or surroundings on the Light stop.",
        )
    return in_stand_in_light(reference), in_stand_in_light(arrival), True


def _coarse(quality: Quality) -> Quality:
    return replace(
        quality,
        width=max(quality.width // 4, 1),
        height=max(quality.height // 4, 1),
        samples=min(4, quality.samples),
        preview=True,
    )


SIDES: tuple[Side, Side] = ("reference", "arrival")


def _with_time_left(span: Progress, name: str) -> Progress:
    """Progress of a view, told with the seconds that it takes still."""
    started = time.perf_counter()

    def report(fraction: float, message: str) -> None:
        left = (time.perf_counter() - started) * (1 - fraction) / fraction if fraction > 0.05 else 0.0
        span(fraction, f"{name}, {message}" + (f", {left:.0f} s left for it" if left >= 1 else ""))

    return report


def _evenly(
    flats: tuple[FlatScene, FlatScene],
    view: View,
    quality: Quality,
    progress: Progress,
    passed: Callable[[Side, Picture], None],
    start: tuple[Picture | None, Picture | None],
) -> tuple[tuple[Picture, Picture], tuple[float, float]]:
    """Both sides with as many samples in every pixel, and the seconds they took.

    A time budget is the reference's; the arrival gets as many samples as that allowed.
    """
    pictures: list[Picture] = []
    seconds: list[float] = []
    for k, (side, flat) in enumerate(zip(SIDES, flats, strict=True)):
        started = time.perf_counter()
        asked = replace(quality, samples=pictures[0].samples, seconds=0.0) if k else quality

        def report(fraction: float, message: str, k: int = k, side: str = side) -> None:
            progress((k + fraction) / 2, f"{side}: {message}")

        def shown(picture: Picture, side: Side = side) -> None:  # type: ignore[assignment]
            passed(side, picture)

        pictures.append(render(flat, view, asked, report, shown, start[k], hands(quality.threads)))
        seconds.append(time.perf_counter() - started)
    return (pictures[0], pictures[1]), (seconds[0], seconds[1])


def look_first(flat: FlatScene, view: View, quality: Quality, ev100: float | None, on_pass: OnPass) -> None:
    """A quarter-size picture of the reference, within seconds, for whoever waits."""
    picture = render(flat, view, _coarse(quality))
    on_pass(view.name, "reference", picture, auto_ev100(picture.radiance) if ev100 is None else ev100)


def prove_views(
    reference: Scene,
    arrival: Scene,
    views: Sequence[View],
    quality: Quality,
    ev100: float | None = None,
    limits: Verdict | None = None,
    progress: Progress = silent,
    on_pass: OnPass | None = None,
    resume: Mapping[str, tuple[Picture | None, Picture | None]] | None = None,
    keep: Keep | None = None,
    effects: Sequence[AfterEffect] = (),
    stand_in: bool = False,
    within: float = 0.0,
) -> Proof:
    """Render both sides of every view with the same random numbers and compare.

    A first coarse picture of both sides (a quarter of the size, one sample) is shown through ``on_pass``
    before the real work.
    ``ev100`` None takes a meter reading of each view's reference. ``resume`` has the pictures of both sides
    that an earlier proof of the same scenes and size ended with, by view.
    ``effects`` are what the destination does to its picture: the arrival's is compared as it is seen through
    them. ``stand_in`` lights a scene that has no light. ``within`` asks for as many samples, each where they
    tell most, as the subject is known with to so much ΔE (:mod:`trasloco.proof.refining`); the quality's are
    the most in the mean then. 0 gives every pixel the quality's.

    Raises:
        Refused: nothing lights the reference, and no light may stand in; or none reaches any view.
    """
    reference, arrival, dim = lit_alike(reference, arrival, stand_in)
    decode_ahead(drawn_images(arrival))  # while the reference is made ready
    stages: dict[tuple[str, float, str], tuple[FlatScene, FlatScene]] = {}

    def stage(view: View, first: bool = False) -> tuple[FlatScene, FlatScene]:
        """Both sides at a view's moment; scenes that were flattened are used again."""
        key = (view.clip, view.time_s, view.environment)
        if key not in stages:
            before = flatten(staged(reference, view, reference))
            if first and on_pass is not None:
                look_first(before, view, quality, ev100, on_pass)
            stages[key] = before, flatten(staged(in_same_surroundings(reference, arrival), view, reference))
        return stages[key]

    if views:
        stage(views[0], first=True)
    made: list[ViewProof] = []
    for number, view in enumerate(views):
        span = part_of(progress, number / len(views), (number + 1) / len(views))
        before, after = stage(view)
        coarse = _coarse(quality)
        first = render(before, view, coarse)
        exposure = auto_ev100(first.radiance) if ev100 is None else ev100
        if on_pass is not None:
            on_pass(view.name, "reference", first, exposure)
            on_pass(view.name, "arrival", render(after, view, coarse), exposure)

        def passed(side: Side, picture: Picture, exposure: float = exposure) -> None:
            if keep is not None:
                keep(view.name, side, picture)  # noqa: B023
            if on_pass is not None:
                on_pass(view.name, side, picture, exposure)  # noqa: B023

        begun = (resume or {}).get(view.name, (None, None))
        heard = _with_time_left(span, view.name)
        if within:

            def stepped(pair: tuple[Picture, Picture]) -> None:
                for side, picture in zip(SIDES, pair, strict=True):
                    passed(side, picture)

            started, aim = time.perf_counter(), aim_of(within)
            flats = before, after
            doing = hands(quality.threads)
            pair = refined(flats, view, quality, exposure, aim, heard, stepped, begun, doing)
            seconds = ((time.perf_counter() - started) / 2,) * 2
        else:
            pair, seconds = _evenly((before, after), view, quality, heard, passed, begun)
        seen = seen_through(pair[1], effects, after, view, exposure)
        compared = compare(pair[0], seen, exposure, before.material_ids, before.part_ids)
        made.append(ViewProof(view, pair[0], seen, exposure, compared, seconds))
    black = tuple(
        one.view.name for one in made if not float(one.reference.radiance.max(initial=0)) > _LEAST_NIT
    )
    if made and len(black) == len(made):
        raise Refused(
            "No light reaches this view: both pictures are black.",
            ", ".join(black),
            "Choose another view, or light what it looks at.",
        )
    worst = max((one.comparison for one in made if one.view.name not in black), key=lambda one: one.judged)
    words = limits or Verdict()
    return Proof(
        tuple(made),
        words.words(worst.judged),
        words.words(worst.judged_low),
        dim,
        tuple(not_shown(reference, arrival)),
        black,
    )
