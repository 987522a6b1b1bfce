"""How the web server runs: one process with threads, ended with whoever started it."""

import threading

from server.holding import end_with_parent

workers, threads = 1, 12
timeout, graceful_timeout = 600, 2
loglevel = "warning"


def on_starting(server: object) -> None:
    """Called once, before anything is served."""
    end_with_parent()


def post_worker_init(worker: object) -> None:
    """Called once pages can be answered: what they will ask for is loaded beside the first answers."""
    from trasloco.results.at_hand import have_at_hand

    threading.Thread(target=have_at_hand, name="at hand", daemon=True).start()
