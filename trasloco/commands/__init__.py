"""What the commands of :mod:`trasloco.cli` do; each is loaded only when it is run."""
