"""PLY files, one a part, with colours on points."""

from trasloco.destinations.layouts.part_files import PLY

LAYOUT = PLY
