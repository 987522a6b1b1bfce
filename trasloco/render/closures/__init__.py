"""How surfaces scatter light: one file a closure, :mod:`layered` puts them over one another as OpenPBR
Surface describes.
"""
