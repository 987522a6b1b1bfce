"""A worker of a cluster: a process that does pieces of work for whoever asks its scheduler, begun again where
it ends.
"""

from __future__ import annotations

import asyncio
import logging
import os
from collections.abc import Callable
from typing import Any

from distributed import Nanny

from trasloco.errors import Refused
from trasloco.hands.model import SETTING
from trasloco.processors import processors

_BEFOREHAND = "from trasloco.results.at_hand import have_at_hand; have_at_hand()"


def serve(
    address: str, threads: int = 0, heard: Callable[[str], None] = lambda address: None, seconds: float = 30
) -> None:
    """Work for the scheduler at an address until it closes, or this process is stopped. Kernels and libraries
    are loaded first.

    Args:
        threads: pieces done side by side, 0 for one a processor. heard: hears where the worker answers once
            it does. seconds: in which the scheduler has to answer.

    Raises:
        Refused: it does not.
    """
    os.environ.pop(SETTING, None)
    asyncio.run(_serve(address, threads or processors(), heard, seconds))


async def _serve(address: str, threads: int, heard: Callable[[str], None], seconds: float) -> None:
    begin: Any = Nanny
    nanny = begin(
        address,
        nthreads=threads,
        preload=[_BEFOREHAND],
        death_timeout=seconds,
        dashboard=False,
        silence_logs=logging.WARNING,
    )
    try:
        await asyncio.wait_for(nanny, 4 * seconds)
    except (OSError, TimeoutError, ValueError) as error:
        raise Refused(
            f"The scheduler does not answer ({type(error).__name__}).",
            address,
            "Start it (dask scheduler), and say its address as it tells it.",
        ) from error
    heard(str(nanny.worker_address))
    await nanny.finished()
