"""STL files, one a part, facets alone."""

from trasloco.destinations.layouts.part_files import STL

LAYOUT = STL
