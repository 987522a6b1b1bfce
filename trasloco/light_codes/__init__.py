"""Light written down as texels: one file an encoding; what all share is in :mod:`codes`."""
