"""Shapes of the API by stop. The front end's types are generated from these."""
