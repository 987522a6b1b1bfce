"""How the web server runs: one process with threads, ended with whoever started it."""

from server.holding import end_with_parent

workers, threads = 1, 12
timeout, graceful_timeout = 600, 2
loglevel = "warning"


def on_starting(server: object) -> None:
    """Called once, before anything is served."""
    end_with_parent()
