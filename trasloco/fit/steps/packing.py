"""An input put into a channel of an image that others share. Planned when places are given."""

from trasloco.fit.model import Step
from trasloco.fit.steps.step import Kind


def packed(channel: str) -> Step:
    return Step("pack", f"packed into {channel.upper()}", {"channel": channel})


KIND = Kind("pack", whole_codes=True)
