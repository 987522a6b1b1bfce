"""Trasloco with one more of each thing, registered from outside: what it takes to grow it."""
