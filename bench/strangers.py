"""``python -m bench.strangers --rounds N``: single faults, and pairs of them, planted by strangers on scenes
drawn at random, each explained from one picture. Prints how often the right one comes first, and how often a
wrong one is believed. A pair in which one fault cannot be seen beside the other, or both undo one another, is
counted apart.
"""

from __future__ import annotations

import argparse
import sys
from dataclasses import dataclass

import numpy as np

from tests.outside import VIEW, counter, picture_of
from trasloco.outside.bends import BENDS, Bend
from trasloco.outside.diagnosis import diagnose
from trasloco.scene.color import delta_e_of_linear
from trasloco.scene.model import Scene

SCENES, FIRST, AMONG, WRONG = 8, 0.90, 0.80, 0.05
"""How many scenes, and what is asked: single faults first, both of a pair among the first three, wrong where
it is sure.
"""
SEEN = 1.0
"""The least mean ΔE over the picture that a fault makes beside another."""


@dataclass
class Tally:
    hits: int = 0
    of: int = 0

    def add(self, hit: bool) -> None:
        self.hits, self.of = self.hits + hit, self.of + 1


def both_seen(given: Scene, chosen: tuple[Bend, ...], seed: int) -> bool:
    """Whether a picture of two faults differs from that of either alone, and from one of none."""
    whole = picture_of(given, chosen, seed)
    others = ((), *((bend,) for bend in chosen))
    return all(
        float(delta_e_of_linear(whole, picture_of(given, alone, seed)).mean()) >= SEEN for alone in others
    )


def main() -> int:
    parser = argparse.ArgumentParser(description="Explain pictures of strangers.")
    parser.add_argument("--rounds", type=int, default=300)
    parser.add_argument("--pairs", type=int, default=0)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--begin", type=int, default=0, help="of so many the faults are drawn, and no more")
    asked = parser.parse_args()
    rng = np.random.default_rng(asked.seed)
    sure = wrong = 0
    single, pairs, unseen = Tally(), Tally(), Tally()
    for number in range(asked.rounds + asked.pairs):
        given = counter(int(rng.integers(SCENES)) + 1)
        able = [bend for bend in BENDS if bend.bend(given) is not None]
        count = 1 if number < asked.rounds else 2
        chosen = tuple(able[int(k)] for k in rng.choice(len(able), count, replace=False))
        first = chosen[0].bend(given)
        if number < asked.begin or (count == 2 and (first is None or chosen[1].bend(first) is None)):
            continue
        seed = asked.seed * 1000 + number
        found = diagnose(given, picture_of(given, chosen, seed), VIEW)
        told = [{bend.key for bend in one.bends} for one in found.explanations]
        wanted = {bend.key for bend in chosen}
        right = bool(told) and told[0] == wanted
        if count == 1:
            single.add(right)
        else:
            tally = pairs if both_seen(given, chosen, seed) else unseen
            tally.add(wanted <= set().union(*told[:3]))
        sure += found.sure
        wrong += found.sure and not right and not wanted & told[0]
        says = ", ".join("+".join(sorted(one)) for one in told[:3]) or ("fine" if found.fine else "nothing")
        print(
            f"{'ok  ' if right else '    '} {'sure' if found.sure else '    '} {'+'.join(sorted(wanted)):40} {says}",
            flush=True,
        )
    good = True
    for words, tally, least in (
        ("the right one first", single, FIRST),
        ("both of what is seen among the first three", pairs, AMONG),
        ("both where one is not seen beside the other", unseen, 0.0),
    ):
        if tally.of:
            share = tally.hits / tally.of
            good = good and share >= least
            told_so = "ok  " if share >= least else "FAIL"
            print(f"{told_so} {words}: {tally.hits} of {tally.of} ({share:.0%})")
    share = wrong / max(sure, 1)
    good = good and share <= WRONG
    print(f"{'ok  ' if share <= WRONG else 'FAIL'} wrong where it says that it is sure: {wrong} of {sure}")
    return 0 if good else 1


if __name__ == "__main__":
    sys.exit(main())
