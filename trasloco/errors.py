"""The one exception that bad input raises: it always says what, where, and what to do next."""


class Refused(Exception):
    """Input that cannot be used.

    Attributes:
        what: the fault in one sentence.
        where: the file, element or field it was found in.
        remedy: what the artist can do about it.
    """

    def __init__(self, what: str, where: str, remedy: str) -> None:
        super().__init__(f"{where}: {what} {remedy}")
        self.what = what
        self.where = where
        self.remedy = remedy

    def __reduce__(self) -> tuple[type["Refused"], tuple[str, str, str]]:
        return (Refused, (self.what, self.where, self.remedy))


class Cancelled(Exception):
    """Work that was stopped on request; nothing of it is kept."""
