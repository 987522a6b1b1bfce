"""What the delivered bytes say, held against what was promised: every difference booked to a crossing, or
told as unaccounted.
"""
