"""Names as they are printed."""


def one_line(text: str) -> str:
    """A name as one line: what breaks lines or is not printed becomes a space."""
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())
