"""An image passed on as it is."""

from trasloco.fit.steps.step import Kind

KIND = Kind("copy", whole_codes=True)
