"""How a shader graph that is more than an image times a constant is told."""

from __future__ import annotations

from collections.abc import Callable

EVALUATED = "its graph was evaluated into an image"


def telling(note: Callable[..., None], name: str, id: str) -> Callable[[str, str], None]:
    """Tells of an input, by its label, what became of its graph; ``note`` is that of a reader's notes."""

    def told(label: str, sentence: str) -> None:
        drawn = EVALUATED in sentence
        note(
            "graph",
            "A material drawn by rule became images" if drawn else "A material's graph is not read as it is",
            f"{name} · {label.lower()} · {sentence}",
            "They are the same at every place, and a little smoother between their texels."
            if drawn
            else "Check this input in Fit.",
            (id,),
            weight=12 if drawn else 45,
        )

    return told
