"""The ten verbs: the table of contents of Trasloco.

    receive(files)                                       -> Received(scene, findings)
    survey(received, source, destination, decisions)     -> list[Finding]
        survey_again(reference, source, destination, ..) -> list[Remnant]    # what the mends left or made
    mend(scene, source, decisions)                       -> Scene            # the reference
    plan(reference, source, destination, decisions)      -> Plan             # one crossing for everything
    that travels
    carry(reference, plan, destination)                  -> Carried          # steps executed: the delivered
    scene
    bake(reference, carried, destination, decisions)     -> Baked            # light written down
        lit(carried, baked)                              -> Carried          # and put with what is delivered
    package(carried, destination)                        -> Package          # bytes, named by the sheet
    arrive(package, destination, standing)               -> Scene            # what the understudy makes of
    those bytes
    account(reference, arrival, plan, destination, ...)  -> Accounts         # every difference booked, or
    told as unaccounted
    prove(reference, arrival, views, quality, ...)       -> Proof            # pictures, differences
        prove_clip(reference, arrival, clip, view, ...)  -> Iterator[Frame]  # a clip, frame by frame
        blame(reference, arrival, plan, view, ...)       -> Causes           # and what is to blame for them

Data flows one way, and every verb depends on its arguments alone, so results can be kept by a digest of their
inputs. What a verb is made of is loaded when it is first called.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from trasloco.progress import Progress, silent

if TYPE_CHECKING:
    from trasloco.accounts.model import Accounts
    from trasloco.at_rest import Bytes
    from trasloco.fit.model import Carried, Plan
    from trasloco.formats.receive import Received
    from trasloco.handover.packing import Package
    from trasloco.inventory.again import Remnant
    from trasloco.light.lightmaps.baking import Gathered
    from trasloco.light.lightmaps.lightmaps import Baked, OnLight
    from trasloco.proof.causes import Causes
    from trasloco.proof.compare import Verdict
    from trasloco.proof.proving import Keep, OnPass, Proof
    from trasloco.proof.sequence import Frame
    from trasloco.render.picture import Picture, Quality, View
    from trasloco.scene.findings import Finding
    from trasloco.scene.model import Decision, Scene
    from trasloco.sheets.model import AfterEffect, Sheet


def receive(files: Mapping[str, Bytes]) -> Received:
    """Read a delivery by content. Raises Refused when nothing in it can be read."""
    from trasloco.formats.receive import receive as _receive

    return _receive(files)


def survey(
    received: Received,
    source: Sheet,
    destination: Sheet,
    decisions: Sequence[Decision] = (),
    progress: Progress = silent,
    first: bool = False,
) -> list[Finding]:
    """Everything noticed about a delivery, what costs most on arrival first, with what was decided about
    each. ``first`` answers at once with what the structure alone tells.
    """
    from trasloco.inventory.survey import notice, with_states

    found = [*received.findings, *notice(received.scene, source, destination, decisions, progress, first)]
    return with_states(sorted(found, key=lambda finding: -finding.weight), decisions)


def survey_again(
    reference: Scene,
    source: Sheet,
    destination: Sheet,
    before: Sequence[Finding],
    progress: Progress = silent,
) -> list[Remnant]:
    """What the mends left or made: noticed about the reference, and not explained by what was found
    ``before``.
    """
    from trasloco.inventory.again import look_again

    return look_again(reference, source, destination, before, progress)


def mend(
    scene: Scene, source: Sheet, decisions: Sequence[Decision] = (), destination: Sheet | None = None
) -> Scene:
    """The reference. The source sheet is an argument because it settles what the file leaves open; what only
    other variants wear is kept for a destination that takes variants.
    """
    from trasloco.decisions.carrying_out import keep_used, mended

    variants = destination is not None and destination.structure.variants
    return keep_used(mended(scene, source, decisions), variants)


def plan(
    reference: Scene,
    source: Sheet,
    destination: Sheet,
    decisions: Sequence[Decision] = (),
    progress: Progress = silent,
) -> Plan:
    """One crossing per material input, with marks measured on the texels."""
    from trasloco.fit.carry import measure_plan
    from trasloco.fit.planning import plan_move

    return measure_plan(
        plan_move(reference, source, destination, decisions), reference, destination, progress
    )


def promise(reference: Scene, source: Sheet, destination: Sheet, decisions: Sequence[Decision] = ()) -> Plan:
    """The plan before any texel is looked at: marks are what the rules promise."""
    from trasloco.fit.planning import plan_move

    return plan_move(reference, source, destination, decisions)


def pass_on_untouched(received: Scene, destination: Sheet) -> Plan:
    """The plan of an artist who converts nothing: the baseline that a move is measured against."""
    from trasloco.fit.untouched import plan_untouched

    return plan_untouched(received, destination)


def carry(reference: Scene, plan: Plan, destination: Sheet, progress: Progress = silent) -> Carried:
    """Execute the plan. The destination sheet is an argument because green, encodings and limits are its."""
    from trasloco.fit.carry import carry_out
    from trasloco.light.lightmaps.received_maps import passed_on

    carried = carry_out(reference, plan, destination, progress)
    scene, files = passed_on(carried.scene, reference, destination)
    return replace(carried, scene=scene, images={**carried.images, **files})


def bake(
    reference: Scene,
    carried: Carried,
    destination: Sheet,
    decisions: Sequence[Decision] = (),
    progress: Progress = silent,
    on_pass: OnLight | None = None,
    known: Mapping[str, Gathered] | None = None,
) -> Baked:
    """Light of the reference on the parts that are delivered, written down as the destination reads it.

    What is ``known`` of lightmaps whose light is the same is not gathered again.
    """
    from trasloco.light.lightmaps.bake_wish import wish_of
    from trasloco.light.lightmaps.lightmaps import bake_lightmaps

    return bake_lightmaps(
        reference,
        carried.scene,
        destination,
        wish_of(decisions, destination.lightmaps),
        progress,
        on_pass,
        known,
    )


def lit(carried: Carried, baked: Baked) -> Carried:
    """What is delivered, with its lightmaps."""
    from trasloco.light.lightmaps.lightmaps import with_lightmaps

    return replace(
        carried, scene=with_lightmaps(carried.scene, baked), images={**carried.images, **baked.files}
    )


def package(carried: Carried, destination: Sheet) -> Package:
    """The files to hand over."""
    from trasloco.handover.packing import pack_files

    return pack_files(carried, destination)


def arrive(package: Package, destination: Sheet, standing: Scene | None = None) -> Scene:
    """What the simulated importer makes of the bytes, under the meanings that were measured of it; looks that
    travel alone are put on what is ``standing`` there. Raises Refused when the sheet has no layout, or looks
    alone find nothing that stands there.
    """
    from trasloco.destinations.importer import import_package
    from trasloco.gauge.meant import as_meant

    return as_meant(import_package(package.files, destination, standing), destination)


def account(
    reference: Scene, arrival: Scene, plan: Plan, destination: Sheet, delivered: Scene | None = None
) -> Accounts:
    """Everything that was sent against everything that arrived.

    ``delivered`` is the packed scene, where light was written down on the way.
    """
    from trasloco.accounts.account import take_accounts

    return take_accounts(reference, arrival, plan, destination, delivered)


def prove(
    reference: Scene,
    arrival: Scene,
    views: Sequence[View] = (),
    quality: Quality | None = None,
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
    """Pictures of both sides and their difference.

    Without views, the reference's own cameras, the first at several moments where the scene moves. ``resume``
    goes on from an earlier proof's pictures; ``effects`` are simulated on the arrival's; ``stand_in`` lights
    a scene without light; ``within`` asks for an interval instead of a number of samples. Raises Refused
    where both pictures would be black.
    """
    from trasloco.proof.proving import prove_views
    from trasloco.proof.staging import moments_of
    from trasloco.render.picture import Quality, views_of

    usual = views_of(reference)
    return prove_views(
        reference,
        arrival,
        list(views) or [*usual, *moments_of(reference, usual[0])],
        quality or Quality(),
        ev100,
        limits,
        progress,
        on_pass,
        resume,
        keep,
        effects,
        stand_in,
        within,
    )


def prove_clip(
    reference: Scene,
    arrival: Scene,
    clip: str,
    view: View,
    rate_hz: float,
    quality: Quality | None = None,
    ev100: float | None = None,
    effects: Sequence[AfterEffect] = (),
    progress: Progress = silent,
    stand_in: bool = False,
) -> Iterator[Frame]:
    """A clip as frames of both sides, ``rate_hz`` a second, as they are done."""
    from trasloco.proof.sequence import frame_times, prove_sequence
    from trasloco.render.picture import Quality

    return prove_sequence(
        reference,
        arrival,
        clip,
        view,
        frame_times(reference, clip, rate_hz),
        quality or Quality(320, 180, 16),
        ev100,
        effects,
        progress,
        stand_in,
    )


def blame(
    reference: Scene,
    arrival: Scene,
    plan: Plan,
    view: View,
    ev100: float,
    quality: Quality | None = None,
    progress: Progress = silent,
) -> Causes:
    """What the difference in a view is made of: everything that differs taken back, and measured again."""
    from trasloco.proof.causes import find_causes
    from trasloco.proof.light_there import in_stand_in_light, is_lit
    from trasloco.proof.proving import in_same_surroundings
    from trasloco.proof.undoing import suspects
    from trasloco.render.picture import Quality

    if not is_lit(reference):
        reference, arrival = in_stand_in_light(reference), in_stand_in_light(arrival)
    return find_causes(
        reference,
        arrival,
        suspects(reference, in_same_surroundings(reference, arrival), plan),
        view,
        quality or Quality(),
        ev100,
        progress,
    )
