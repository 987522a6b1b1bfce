"""Lights, as several stops show them."""

from __future__ import annotations

from ninja import Schema

from server.moves.schemas.words import Mark


class InUnit(Schema):
    """A light's strength in a unit, and its own intensity for one of it."""

    unit: str
    value: float
    each: float


class StandOut(Schema):
    azimuth_deg: float
    height_deg: float
    distance_m: float


class LightOut(Schema):
    id: str
    angle_deg: float
    width_m: float
    height_m: float
    radius_m: float
    inner_deg: float
    outer_deg: float
    """Half angles of a spot."""
    opening: bool
    added: bool
    stand: StandOut | None
    units: list[InUnit]
    shadows: bool
    name: str
    kind: str
    color: list[float]
    intensity: float
    received_intensity: float
    unit: str
    enabled: bool
    mark: Mark | None
    text: str
