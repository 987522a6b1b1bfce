"""The simulated destinations: a sheet each, and one importer that obeys whatever sheet it is given."""
