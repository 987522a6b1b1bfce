"""What the server keeps: moves, their deliveries, decisions, jobs, proofs and handovers.

Bytes lie in the store; rows name them by hash.
"""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta

from django.conf import settings
from django.db import models
from django.utils import timezone

KEPT_DAYS = 30
"""How long what was taken off the desk can be brought back."""


def unguessable() -> int:
    """A number that nobody finds by counting, exact in a browser's numbers too."""
    return secrets.randbelow(2**52 - 1) + 1


def secret_word() -> str:
    return secrets.token_urlsafe(24)


class Move(models.Model):
    """One source going to one destination.

    ``told`` is what was last said of it, as JSON; ``deleted`` when it was taken off the desk; ``owner`` whose
    it is, where people have accounts.
    """

    id = models.BigIntegerField(primary_key=True, default=unguessable, editable=False)
    name = models.CharField(max_length=200)
    source = models.CharField(max_length=80)
    destination = models.CharField(max_length=80)
    told = models.TextField(default="", blank=True)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True, related_name="moves"
    )
    created = models.DateTimeField(auto_now_add=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return self.name

    @property
    def kept_until(self) -> datetime | None:
        return None if self.deleted is None else self.deleted + timedelta(days=KEPT_DAYS)


class Share(models.Model):
    """A person who may look at a move of somebody else, or work on it."""

    class Level(models.TextChoices):
        LOOK = "look"
        WORK = "work"

    move = models.ForeignKey(Move, on_delete=models.CASCADE, related_name="shares")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="shares")
    level = models.CharField(max_length=4, choices=Level.choices)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["move", "person"], name="one_share_a_person")]


class Link(models.Model):
    """A word that shows a move's report and proof to whoever has it, until it runs out."""

    move = models.ForeignKey(Move, on_delete=models.CASCADE, related_name="links")
    word = models.CharField(max_length=40, unique=True, default=secret_word)
    created = models.DateTimeField(auto_now_add=True)
    ends = models.DateTimeField()

    class Meta:
        ordering = ["-created"]


class Revision(models.Model):
    """One delivery of a move's source.

    ``files`` maps paths to blob hashes; ``received`` is the key of the read scene, ``picture`` a first look.
    """

    move = models.ForeignKey(Move, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    files = models.JSONField(default=dict)
    received = models.CharField(max_length=64, blank=True)
    refusal = models.JSONField(null=True, blank=True)
    picture = models.CharField(max_length=64, blank=True)
    lights = models.CharField(max_length=60, blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["move", "number"], name="one_revision_a_number")]


class DecisionRow(models.Model):
    """A decision in the move's history. Rows of one ``batch`` were made together and are undone together."""

    move = models.ForeignKey(Move, on_delete=models.CASCADE, related_name="decisions")
    batch = models.PositiveIntegerField()
    target = models.CharField(max_length=400)
    field = models.CharField(max_length=40)
    value = models.JSONField(null=True)
    undone = models.BooleanField(default=False)
    by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class Job(models.Model):
    """Long work on a move.

    ``result`` grows while it runs (first pictures); ``beat`` tells that the worker lives.
    """

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        CANCELLED = "cancelled"
        REFUSED = "refused"
        STOPPED = "stopped"

    move = models.ForeignKey(Move, on_delete=models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=20)
    settings = models.JSONField(default=dict)
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    fraction = models.FloatField(default=0)
    message = models.CharField(max_length=300, blank=True)
    cancel = models.BooleanField(default=False)
    tries = models.PositiveSmallIntegerField(default=0)
    """How often it was begun: a worker may die of it."""
    expected_s = models.FloatField(default=60)
    lane = models.CharField(max_length=20, default="", blank=True)
    """Which process does it."""
    refusal = models.JSONField(null=True, blank=True)
    result = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    finished = models.DateTimeField(null=True)
    beat = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class ProofRow(models.Model):
    """A kept proof: figures, and the hashes of its pictures by view and side.

    ``plan`` are the inputs of what was proved, ``code`` made it.
    """

    move = models.ForeignKey(Move, on_delete=models.CASCADE, related_name="proofs")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=200, blank=True)
    figures = models.JSONField()
    pictures = models.JSONField()
    plan = models.CharField(max_length=64)
    code = models.CharField(max_length=64, default="", blank=True)
    created = models.DateTimeField(auto_now_add=True)
    updated = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-number"]


class Seen(models.Model):
    """A picture of an import from the program at the destination: ``told`` what it says once it was
    explained, ``pictures`` how the explanations look, by name; ``plan`` is what had been delivered.
    """

    move = models.ForeignKey(Move, on_delete=models.CASCADE, related_name="seen")
    name = models.CharField(max_length=120)
    view = models.CharField(max_length=200)
    picture = models.CharField(max_length=64)
    told = models.JSONField(null=True)
    pictures = models.JSONField(default=dict)
    plan = models.CharField(max_length=64, default="", blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]


class OwnPicture(models.Model):
    """One's own picture of the scene beside the proof.

    ``of`` is the side it shows, ``pairs`` places pressed on it and on the model, ``camera`` what they say;
    without them its camera is looked for about ``view``. ``curve`` is how it was shown, empty to be found.
    ``told`` and ``pictures`` are what came of it last, ``stands`` the camera it was held by, ``over_time``
    its figures at each time, ``matched`` the light that explains it, ``numbers`` those of materials by their
    ids, ``plan`` what had been delivered then.
    """

    move = models.ForeignKey(Move, on_delete=models.CASCADE, related_name="own_pictures")
    name = models.CharField(max_length=120)
    picture = models.CharField(max_length=64)
    shown = models.CharField(max_length=64)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    of = models.CharField(max_length=9, default="reference")
    view = models.CharField(max_length=200, default="", blank=True)
    curve = models.CharField(max_length=80, default="", blank=True)
    pairs = models.JSONField(default=list)
    camera = models.JSONField(null=True)
    stands = models.JSONField(null=True)
    told = models.JSONField(null=True)
    pictures = models.JSONField(default=dict)
    over_time = models.JSONField(default=list)
    matched = models.JSONField(null=True)
    numbers = models.JSONField(default=dict)
    plan = models.CharField(max_length=64, default="", blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]


class Gauge(models.Model):
    """The gauge that a move's destination is measured with.

    ``sheet`` is the TOML of the sheet whose layout it is written in, ``archive`` what is handed over and
    ``told`` what to do with it. ``pictures`` came back, by board: file name, and the digests of what was
    given and of how it is shown; ``rod`` is how long the program shows the rod to be, a length and its unit.
    ``found`` is what they say, ``evidence`` pictures by name, ``made`` the TOML of the sheet that comes of
    it, ``used`` the name under which that is kept.
    """

    move = models.OneToOneField(Move, on_delete=models.CASCADE, related_name="gauge")
    sheet = models.TextField()
    archive = models.CharField(max_length=64, default="", blank=True)
    told = models.JSONField(null=True)
    pictures = models.JSONField(default=dict)
    rod = models.JSONField(null=True)
    found = models.JSONField(null=True)
    evidence = models.JSONField(default=dict)
    made = models.TextField(default="", blank=True)
    used = models.CharField(max_length=60, default="", blank=True)
    created = models.DateTimeField(auto_now_add=True)


class Handover(models.Model):
    """A delivered, numbered, never overwritten package."""

    move = models.ForeignKey(Move, on_delete=models.CASCADE, related_name="handovers")
    number = models.PositiveIntegerField()
    destination = models.CharField(max_length=80)
    files = models.JSONField()
    marks = models.JSONField()
    packing_list = models.TextField()
    report = models.CharField(max_length=64)
    archive = models.CharField(max_length=64)
    plan = models.CharField(max_length=64)
    steps = models.JSONField(default=list)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-number"]


class Kept(models.Model):
    """A material on a person's own shelf: the files of a MaterialX document and its images, by path.

    ``gone`` when it was taken off the shelf. ``variant_of`` the one it is another look of, new or worn, which
    is itself no variant.
    """

    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, null=True, blank=True, related_name="kept"
    )
    name = models.CharField(max_length=100)
    files = models.JSONField()
    variant_of = models.ForeignKey(
        "self", on_delete=models.SET_NULL, null=True, blank=True, related_name="variants"
    )
    created = models.DateTimeField(auto_now_add=True)
    gone = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["name", "id"]


class OwnSheet(models.Model):
    """A sheet of the artist's own, by lower-case name: its TOML in all versions, and which of them holds."""

    key = models.CharField(max_length=60, unique=True)
    versions = models.JSONField(default=list)
    place = models.PositiveIntegerField(default=0)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["key"]


class Result(models.Model):
    """A computed result under the digest of its inputs; ``move`` is the only one it was of use to."""

    key = models.CharField(max_length=64, primary_key=True)
    blob = models.CharField(max_length=64)
    size = models.BigIntegerField(default=0)
    pickled = models.BooleanField(default=True)
    move = models.ForeignKey(Move, on_delete=models.SET_NULL, null=True, related_name="results")
    created = models.DateTimeField(auto_now_add=True)
    used = models.DateTimeField(default=timezone.now, db_index=True)
