"""Processes that compile at once keep their own: nobody is handed what was compiled for other arguments."""

from __future__ import annotations

import multiprocessing
import tempfile
from typing import Any
from unittest import TestCase

from trasloco.kernel_cache import IndexDataCacheFile

WRITERS, KINDS = 3, 40


def _code(who: int, kind: int) -> tuple[str, int, int]:
    return "code of", who, kind


def _write(folder: str, who: int, together: Any) -> None:
    cache = IndexDataCacheFile(folder, "kernel", "stamp")
    together.wait()
    for kind in range(KINDS):
        cache.save((who, kind), _code(who, kind))


def _read(folder: str, together: Any, over: Any, wrong: Any) -> None:
    cache = IndexDataCacheFile(folder, "kernel", "stamp")
    together.wait()
    while not over.is_set():
        for who in range(WRITERS):
            for kind in range(0, KINDS, 7):
                found = cache.load((who, kind))
                wrong.value += found is not None and found != _code(who, kind)


class AtOnce(TestCase):
    def test_everyone_finds_what_is_their_own(self) -> None:
        spawned = multiprocessing.get_context("spawn")
        together, over, wrong = spawned.Barrier(WRITERS + 1), spawned.Event(), spawned.Value("i", 0)
        with tempfile.TemporaryDirectory() as folder:
            writers = [spawned.Process(target=_write, args=(folder, k, together)) for k in range(WRITERS)]
            reader = spawned.Process(target=_read, args=(folder, together, over, wrong))
            for one in (*writers, reader):
                one.start()
            for one in writers:
                one.join()
            over.set()
            reader.join()
            self.assertEqual([one.exitcode for one in (*writers, reader)], [0] * (WRITERS + 1))
            cache = IndexDataCacheFile(folder, "kernel", "stamp")
            for who in range(WRITERS):
                for kind in range(KINDS):
                    self.assertEqual(cache.load((who, kind)), _code(who, kind))
            self.assertEqual(wrong.value, 0)
