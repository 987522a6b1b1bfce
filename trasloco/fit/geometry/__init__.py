"""Geometry as the destination or the artist wants it: fewer triangles, or more, with the distance from what
was given measured.
"""
