"""Trasloco's core: carries a scene from one program's conventions to another's and measures what arrived.

Read :mod:`trasloco.move` first; it is the table of contents.
"""
