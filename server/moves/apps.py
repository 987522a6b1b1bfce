"""What is done when Django starts."""

from django.apps import AppConfig


class Moves(AppConfig):
    name = "server.moves"

    def ready(self) -> None:
        from trasloco.results.natives import LOADED

        assert LOADED
