"""What the server keeps: moves, their deliveries, decisions, jobs, proofs and handovers.

Bytes lie in the store; rows name them by hash.
"""

from __future__ import annotations

from django.db import models
from django.utils import timezone


class Move(models.Model):
    """One source going to one destination. ``told`` is what was last said of it, as JSON."""

    name = models.CharField(max_length=200)
    source = models.CharField(max_length=80)
    destination = models.CharField(max_length=80)
    told = models.TextField(default="", blank=True)
    created = models.DateTimeField(auto_now_add=True)

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

    class Meta:
        ordering = ["-number"]


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
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-number"]


class OwnSheet(models.Model):
    """A sheet of the artist's own, by lower-case name: its TOML in all versions, and which of them holds."""

    key = models.CharField(max_length=60, unique=True)
    versions = models.JSONField(default=list)
    place = models.PositiveIntegerField(default=0)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["key"]


class Result(models.Model):
    """A computed result under the digest of its inputs."""

    key = models.CharField(max_length=64, primary_key=True)
    blob = models.CharField(max_length=64)
    size = models.BigIntegerField(default=0)
    pickled = models.BooleanField(default=True)
    created = models.DateTimeField(auto_now_add=True)
    used = models.DateTimeField(default=timezone.now, db_index=True)
