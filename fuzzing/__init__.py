"""Damaged and hostile deliveries through the whole move, each in a process of its own. ``make fuzz`` runs
them; the tests run some.
"""
