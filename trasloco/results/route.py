"""The route of one move as it stands: each verb once, under the name of what it reads. The command line and
the server both walk it.

A decision only renames the results that read it: mends run again from the first stage that changed, an undo
finds what was there before.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING

from trasloco import move as verbs
from trasloco.decisions.kind import Stage
from trasloco.decisions.kinds import KINDS, in_force, read_by, understood
from trasloco.decisions.targets import idle
from trasloco.fit.together.between import as_asked
from trasloco.inventory.survey import with_states
from trasloco.light.lightmaps.bake_wish import Wish, wish_of
from trasloco.mends.settling import settle
from trasloco.progress import Progress, part_of, silent
from trasloco.results.bakes import Bakes
from trasloco.results.code import code_of
from trasloco.results.mending import Mending
from trasloco.results.name import Name, named
from trasloco.results.store import Store, TryingStore
from trasloco.scene.digest import digest
from trasloco.scene.findings import Finding
from trasloco.scene.model import Decision, Scene

if TYPE_CHECKING:
    from trasloco.accounts.model import Accounts
    from trasloco.at_rest import Bytes
    from trasloco.fit.model import Carried, Plan
    from trasloco.formats.receive import Received
    from trasloco.handover.packing import Package
    from trasloco.inventory.again import Remnant
    from trasloco.light.lightmaps.baking import Gathered
    from trasloco.light.lightmaps.lightmaps import Baked, OnLight
    from trasloco.sheets.model import Sheet

_CARRYING = ("trasloco.fit.carry", "trasloco.light.lightmaps.received_maps")


class Route:
    """All results of a move as it stands. Make a new one after a decision.

    Args:
        files: the delivery, path to the digest of its bytes. read: their bytes. source, destination,
            decisions: as they stand. store: where results are kept. place: what the move is called in it.

    ``sheet`` is the destination's own, ``destination`` that with what was decided of it.
    """

    def __init__(
        self,
        files: Mapping[str, str],
        read: Callable[[], Mapping[str, Bytes]],
        source: Sheet,
        destination: Sheet,
        decisions: Sequence[Decision],
        store: Store,
        place: str = "",
    ) -> None:
        self.files, self._read, self.store, self.place = files, read, store, place
        self.source, self.sheet = source, destination
        self.decisions = understood(decisions)
        self.destination = as_asked(destination, self.decisions)
        held = {id(one) for one in self.decisions}
        self.unread = [one for one in decisions if id(one) not in held]

    def otherwise(self, decisions: Sequence[Decision], destination: Sheet | None = None) -> Route:
        """The same delivery with other decisions, or on its way elsewhere."""
        there = destination or self.sheet
        return Route(self.files, self._read, self.source, there, decisions, self.store, self.place)

    def only_tried(self) -> Route:
        """The same, with what is made from here on forgotten with it."""
        store = TryingStore(self.store)
        return Route(self.files, self._read, self.source, self.sheet, self.decisions, store, self.place)

    # Received

    @cached_property
    def received_name(self) -> Name:
        return named("received", ("trasloco.formats.receive",), dict(self.files))

    def received(self) -> Received:
        """The read delivery. Raises Refused when it cannot be read."""
        made: Received = self.store.get_or_make(self.received_name.key, lambda: verbs.receive(self._read()))
        return made

    # Mended

    @cached_property
    def _mending(self) -> Mending:
        received, taken = self.received_name, self.destination.structure.variants
        return Mending(received, lambda: self.received().scene, self.source, self.store, taken)

    @cached_property
    def reference_name(self) -> Name:
        return self._mending.name("reference", self.decisions)

    def reference(self) -> Scene:
        made: Scene = self.store.get_or_make(
            self.reference_name.key, lambda: self._mending.scene(self.decisions), keep=False
        )
        return made

    @cached_property
    def unmixed_name(self) -> Name:
        """The reference whatever the strengths of its lights."""
        return self._mending.name("unmixed", [d for d in self.decisions if not KINDS[d.field].mixes])

    def mended_with(self, more: Sequence[Decision]) -> Scene:
        """The reference as it would be with more decisions.

        Raises Refused where one cannot be carried out.
        """
        return self._mending.scene([*self.decisions, *more])

    @cached_property
    def settled_name(self) -> Name:
        return self._mending.name("shown", self._without_choice())

    def settled(self) -> Scene:
        """The reference with what was left out still in it, so that it can be shown as left out."""
        made: Scene = self.store.get_or_make(
            self.settled_name.key, lambda: self._mending.scene(self._without_choice()), keep=False
        )
        return made

    def _without_choice(self) -> list[Decision]:
        return [d for d in self.decisions if not KINDS[d.field].choice]

    def as_received(self) -> Scene:
        """The scene before any mend but what findings look at: what they count their faces by."""
        return settle(self.received().scene, self.source, read_by(self.decisions, "survey"))

    @cached_property
    def as_received_name(self) -> Name:
        return named(
            "as received",
            ("trasloco.mends.settling",),
            self.received_name,
            self.source,
            in_force(read_by(self.decisions, "survey")),
        )

    def travelling(self) -> set[str]:
        """Ids of the parts, lights and cameras that come along."""
        kept = [d for d in self.decisions if Stage.JOINED not in KINDS[d.field].does]
        return {n.id for n in self._mending.scene(kept).nodes.values() if n.mesh or n.light or n.camera}

    @cached_property
    def idle_name(self) -> Name:
        return named(
            "idle",
            ("trasloco.decisions.targets",),
            self.reference_name,
            self.settled_name,
            in_force(self.decisions),
            self.unread,
        )

    def idle(self) -> set[tuple[str, str]]:
        """Targets and fields that are decided and do nothing any more, or cannot be read any more."""

        def make() -> set[tuple[str, str]]:
            scenes = self.received().scene, self.settled(), self.reference()
            return {(d.target, d.field) for d in (*idle(in_force(self.decisions), *scenes), *self.unread)}

        made: set[tuple[str, str]] = self.store.get_or_make(self.idle_name.key, make)
        return made

    def known_idle(self) -> set[tuple[str, str]] | None:
        """The same where it was looked for."""
        return self.idle() if self.store.has(self.idle_name.key) else None

    # Surveyed

    @cached_property
    def findings_name(self) -> Name:
        return named(
            "findings",
            ("trasloco.inventory.survey",),
            self.received_name,
            self.source,
            self.destination,
            in_force(read_by(self.decisions, "survey")),
        )

    def findings(self, progress: Progress = silent) -> list[Finding]:
        """The survey; checks run again only when unit, axis, sheets or files change."""
        looked_at = read_by(self.decisions, "survey")
        found: list[Finding] = self.store.get_or_make(
            self.findings_name.key,
            lambda: verbs.survey(self.received(), self.source, self.destination, looked_at, progress),
        )
        return with_states(found, self.decisions)

    def known_findings(self) -> list[Finding] | None:
        """The survey where it was made."""
        return self.findings() if self.store.has(self.findings_name.key) else None

    def findings_so_far(self) -> list[Finding]:
        """The survey; whoever keeps moves may tell what is known of it while it is made."""
        return self.findings()

    def first_findings(self) -> list[Finding]:
        """What the structure alone tells, at once."""
        looked_at = read_by(self.decisions, "survey")
        name = named("first findings", ("trasloco.inventory.survey",), self.findings_name)
        found: list[Finding] = self.store.get_or_make(
            name.key,
            lambda: verbs.survey(self.received(), self.source, self.destination, looked_at, first=True),
            keep=False,
        )
        return with_states(found, self.decisions)

    @cached_property
    def again_name(self) -> Name:
        return named(
            "again",
            ("trasloco.inventory.again",),
            self.reference_name,
            self.findings_name,
            [d for d in in_force(read_by(self.decisions, "states")) if d.value],
        )

    def again(self, progress: Progress = silent) -> list[Remnant]:
        """What the mends left or made."""
        there = self.destination
        made: list[Remnant] = self.store.get_or_make(
            self.again_name.key,
            lambda: verbs.survey_again(self.reference(), self.source, there, self.findings(), progress),
        )
        return made

    def known_again(self) -> list[Remnant] | None:
        """The same where it was looked for since the last mend."""
        return self.again() if self.store.has(self.again_name.key) else None

    # Planned and carried

    def planned_by(self) -> list[Decision]:
        """Decisions in force that the plan reads beside the reference."""
        return in_force(read_by(self.decisions, "plan"))

    @cached_property
    def plan_name(self) -> Name:
        return named(
            "plan",
            ("trasloco.fit.planning", "trasloco.fit.carry"),
            self.reference_name,
            self.source,
            self.destination,
            self.planned_by(),
        )

    def plan(self, progress: Progress = silent) -> Plan:
        made: Plan = self.store.get_or_make(
            self.plan_name.key,
            lambda: verbs.plan(self.reference(), self.source, self.destination, self.decisions, progress),
        )
        return made

    def known_plan(self) -> Plan | None:
        """The plan where it was made."""
        return self.plan() if self.store.has(self.plan_name.key) else None

    def plan_so_far(self) -> Plan:
        """The plan; where its marks are not measured yet, as they are promised."""
        known = self.known_plan()
        if known is not None:
            return known
        made: Plan = self.store.get_or_make(
            named("promised", ("trasloco.fit.planning",), self.plan_name).key,
            lambda: verbs.promise(self.reference(), self.source, self.destination, self.decisions),
            keep=False,
        )
        return made

    def carried(self, progress: Progress = silent) -> Carried:
        """The plan carried out, without lightmaps."""

        def make() -> Carried:
            plan = self.plan(part_of(progress, 0, 0.3))
            return verbs.carry(self.reference(), plan, self.destination, part_of(progress, 0.3, 1))

        made: Carried = self.store.get_or_make(named("carried", _CARRYING, self.plan_name).key, make)
        return made

    # Lit

    @cached_property
    def wish(self) -> Wish:
        """What is asked of lightmaps."""
        return wish_of(in_force(self.decisions), self.destination.lightmaps)

    @cached_property
    def light_name(self) -> Name:
        return named(
            "lightmaps",
            ("trasloco.light.lightmaps.lightmaps",),
            self.plan_name,
            replace(self.wish, threads=0),
        )

    @cached_property
    def bakes(self) -> Bakes:
        """What is kept of this move's bakes."""
        return Bakes(self.store, self.place)

    def has_light(self) -> bool:
        """Whether the lightmaps that are asked for were already baked."""
        return self.bakes.has(self.light_name)

    def light_is_earlier(self) -> bool:
        """Whether they were baked by an earlier version."""
        return self.bakes.is_earlier(self.light_name)

    def baked(self, progress: Progress = silent, on_pass: OnLight | None = None, anew: bool = False) -> Baked:
        """The lightmaps, from an earlier version too unless they are asked for ``anew``.

        What was gathered before for the same light, finished or not, is gone on from.
        """

        def bake(known: Mapping[str, Gathered], heard: OnLight) -> Baked:
            carried = self.carried(part_of(progress, 0, 0.1))
            asked, shown = in_force(self.decisions), part_of(progress, 0.1, 1)
            return verbs.bake(self.reference(), carried, self.destination, asked, shown, heard, known)

        return self.bakes.baked(self.light_name, bake, on_pass, anew)

    # Delivered and read back

    @cached_property
    def landed_name(self) -> Name:
        """What is delivered depends on the plan, and on the light where it is written down."""
        light = (self.light_name,) if self.wish.wanted else ()
        return named("landed", _CARRYING, self.plan_name, *light)

    @cached_property
    def proving_code(self) -> str:
        """What makes a proof of what is delivered: a later version may see more, or less."""
        return digest(self.landed_name.code, code_of("trasloco.proof.proving"))

    def landed(self, progress: Progress = silent) -> Carried:
        """What is handed over: as carried, with lightmaps where they are asked for."""
        if not self.wish.wanted:
            return self.carried(progress)
        return verbs.lit(self.carried(part_of(progress, 0, 0.1)), self.baked(part_of(progress, 0.1, 1)))

    @cached_property
    def package_name(self) -> Name:
        return named("package", ("trasloco.handover.packing",), self.landed_name)

    def package(self, progress: Progress = silent) -> Package:
        made: Package = self.store.get_or_make(
            self.package_name.key, lambda: verbs.package(self.landed(progress), self.destination)
        )
        return made

    def has_package(self) -> bool:
        """Whether the package was already written."""
        return self.store.has(self.package_name.key)

    @cached_property
    def arrival_name(self) -> Name:
        return named(
            "arrival", ("trasloco.destinations.importer", "trasloco.destinations.layouts"), self.package_name
        )

    def arrival(self, progress: Progress = silent) -> Scene:
        def make() -> Scene:
            return verbs.arrive(self.package(progress), self.destination, self.reference())

        return self.store.get_or_make(self.arrival_name.key, make, keep=False)  # type: ignore[no-any-return]

    @cached_property
    def accounts_name(self) -> Name:
        return named("accounts", ("trasloco.accounts.account",), self.arrival_name, self.reference_name)

    def accounts(self, progress: Progress = silent) -> Accounts:
        """What the delivered bytes say against the reference."""

        def make() -> Accounts:
            arrival = self.arrival(part_of(progress, 0, 0.7))
            landed = self.landed(part_of(progress, 0.7, 0.8))
            return verbs.account(self.reference(), arrival, landed.plan, self.destination, landed.scene)

        made: Accounts = self.store.get_or_make(self.accounts_name.key, make)
        return made

    def known_accounts(self) -> Accounts | None:
        """The accounts where they were taken already."""
        return self.accounts() if self.store.has(self.accounts_name.key) else None
