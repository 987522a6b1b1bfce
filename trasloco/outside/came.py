"""What came back otherwise than it was sent."""

from __future__ import annotations

from dataclasses import dataclass

from trasloco.outside.images_back import ImageBack
from trasloco.scene.model import Decision


@dataclass(frozen=True)
class Came:
    """One difference. ``item`` is the thing's id at the source, empty for what is new; without ``decisions``,
    ``why`` says why there are none. ``image`` is what an image that was painted over is at the source; then
    ``why`` says what it cannot know.
    """

    kind: str
    item: str
    name: str
    what: str
    before: str
    after: str
    decisions: tuple[Decision, ...] = ()
    why: str = ""
    image: ImageBack | None = None
