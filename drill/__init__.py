"""Drills: a whole instance on this machine, with things going wrong on purpose. ``make drill`` prints a
table.
"""
