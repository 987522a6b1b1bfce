"""``python -m bench.strangers --rounds N``: single faults, and pairs of them, planted by strangers on scenes
drawn at random, each explained from one picture. Prints how often the right one comes first, and how often a
wrong one is believed.
"""

from __future__ import annotations

import argparse
import sys

import numpy as np

from tests.outside import VIEW, counter, picture_of
from trasloco.outside.bends import BENDS
from trasloco.outside.diagnosis import diagnose

SCENES, FIRST, AMONG, WRONG = 8, 0.90, 0.80, 0.05
"""How many scenes, and what is asked: single faults first, both of a pair among the first three, wrong where
it is sure.
"""


def main() -> int:
    parser = argparse.ArgumentParser(description="Explain pictures of strangers.")
    parser.add_argument("--rounds", type=int, default=300)
    parser.add_argument("--pairs", type=int, default=0)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--begin", type=int, default=0, help="of so many the faults are drawn, and no more")
    asked = parser.parse_args()
    rng = np.random.default_rng(asked.seed)
    first = sure = wrong = among = 0
    for number in range(asked.rounds + asked.pairs):
        given = counter(int(rng.integers(SCENES)) + 1)
        able = [bend for bend in BENDS if bend.bend(given) is not None]
        count = 1 if number < asked.rounds else 2
        chosen = tuple(able[int(k)] for k in rng.choice(len(able), count, replace=False))
        if number < asked.begin:
            continue
        bent = given
        for bend in chosen:
            bent = bend.bend(bent) or bent
        found = diagnose(given, picture_of(given, chosen, asked.seed * 1000 + number), VIEW)
        told = [{bend.key for bend in one.bends} for one in found.explanations]
        wanted = {bend.key for bend in chosen}
        right = bool(told) and told[0] == wanted
        if count == 1:
            first += right
        else:
            among += wanted <= set().union(*told[:3])
        sure += found.sure
        wrong += found.sure and not right and not wanted & told[0]
        says = ", ".join("+".join(sorted(one)) for one in told[:3]) or ("fine" if found.fine else "nothing")
        print(
            f"{'ok  ' if right else '    '} {'sure' if found.sure else '    '} {'+'.join(sorted(wanted)):40} {says}",
            flush=True,
        )
    good = True
    for words, count, of, least in (
        ("the right one first", first, asked.rounds, FIRST),
        ("both among the first three", among, asked.pairs, AMONG),
    ):
        if of:
            good = good and count / of >= least
            print(f"{'ok  ' if count / of >= least else 'FAIL'} {words}: {count} of {of} ({count / of:.0%})")
    share = wrong / max(sure, 1)
    good = good and share <= WRONG
    print(f"{'ok  ' if share <= WRONG else 'FAIL'} wrong where it says that it is sure: {wrong} of {sure}")
    return 0 if good else 1


if __name__ == "__main__":
    sys.exit(main())
