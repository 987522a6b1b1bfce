"""All checks, by what they need: the structure alone, the edges of one mesh after another, the triangles in
the world, or the texels of images.
"""

from trasloco.inventory.checks.backs import seen_from_behind
from trasloco.inventory.checks.belonging import strays
from trasloco.inventory.checks.colors import ignored_colors, leftover_tints, stored_colors
from trasloco.inventory.checks.doubles import duplicates
from trasloco.inventory.checks.drifting import drifting_maps
from trasloco.inventory.checks.geometry import faces_away, transforms
from trasloco.inventory.checks.ids import close_ids, id_slots
from trasloco.inventory.checks.image_content import (
    color_encoding,
    gloss_or_roughness,
    green_direction,
    normal_maps,
)
from trasloco.inventory.checks.image_values import alpha_use, plausible_values, stepped_height
from trasloco.inventory.checks.images import (
    missing_images,
    refused_sizes,
    unreadable_images,
    wrong_extensions,
)
from trasloco.inventory.checks.lights import absurd_strengths, doubled_suns, empty_lights, lost_lamps
from trasloco.inventory.checks.motion import clips, skins
from trasloco.inventory.checks.names import odd_names
from trasloco.inventory.checks.normals import missing_normals, mixed_tangents, odd_normals
from trasloco.inventory.checks.openings import holes, open_boxes
from trasloco.inventory.checks.placing import far_from_origin, far_pivots, in_the_air
from trasloco.inventory.checks.received_light import painted_light, received_lightmaps
from trasloco.inventory.checks.size import axis_doubt, unit_doubt
from trasloco.inventory.checks.soundness import degenerate_faces, mixed_winding, overlapping_faces
from trasloco.inventory.checks.uvs import missing_uvs, overlapping_uvs, squashed_uvs, uv_range
from trasloco.inventory.checks.ways import closed_ways
from trasloco.inventory.context import Check, MeshCheck

STRUCTURE: list[Check] = [
    unit_doubt,
    axis_doubt,
    missing_images,
    unreadable_images,
    wrong_extensions,
    refused_sizes,
    strays,
    transforms,
    far_pivots,
    far_from_origin,
    in_the_air,
    odd_names,
    missing_uvs,
    drifting_maps,
    missing_normals,
    mixed_tangents,
    clips,
    absurd_strengths,
    empty_lights,
    lost_lamps,
    received_lightmaps,
]
GEOMETRY: list[Check] = [
    stored_colors,
    ignored_colors,
    leftover_tints,
    id_slots,
    close_ids,
    duplicates,
    skins,
    uv_range,
    overlapping_uvs,
    faces_away,
    overlapping_faces,
    seen_from_behind,
    painted_light,
    closed_ways,
]
TEXELS: list[Check] = [
    normal_maps,
    green_direction,
    color_encoding,
    gloss_or_roughness,
    plausible_values,
    alpha_use,
    stepped_height,
    doubled_suns,
]
MESHES: list[MeshCheck] = [
    odd_normals,
    degenerate_faces,
    mixed_winding,
    holes,
    open_boxes,
    squashed_uvs,
]
