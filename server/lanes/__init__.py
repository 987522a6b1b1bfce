"""Lanes: processes that each do one job at a time, and who keeps them. Quick jobs have a lane that long ones
never enter.
"""
