"""The nearest look that a destination's model can make of a material, found by measuring both over lights and
views.
"""
