"""All checks, in one list. Each is a generator of findings over a context."""

from trasloco.inventory.checks.belonging import automatic_names, strays
from trasloco.inventory.checks.colors import leftover_tints
from trasloco.inventory.checks.geometry import duplicates, faces_away, transforms
from trasloco.inventory.checks.images import missing_images, refused_sizes, unreadable_images, wrong_extensions
from trasloco.inventory.checks.size import axis_doubt, unit_doubt
from trasloco.inventory.context import Check

CHECKS: tuple[Check, ...] = (unit_doubt, axis_doubt, missing_images, unreadable_images, wrong_extensions, refused_sizes, faces_away, leftover_tints, duplicates, strays, transforms, automatic_names)
