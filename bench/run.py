"""``make bench``: one JSON list of every benchmark; ``only=NAME`` runs those whose group or name holds NAME."""

from __future__ import annotations

import argparse
import json

from bench import (
    budget,
    converting,
    drop,
    encoding,
    faults,
    fitting,
    gauge,
    handing,
    interval,
    large,
    light,
    loop,
    machines,
    many,
    own_pictures,
    parts,
    proof,
    screen,
    starting,
    steps,
    survey,
    together,
    tracer,
    unasked,
)

GROUPS = {
    "converting": converting.run,
    "survey": survey.run,
    "tracer": tracer.run,
    "proof": proof.run,
    "light": light.run,
    "steps": steps.run,
    "faults": faults.run,
    "loop": loop.run,
    "parts": parts.run,
    "handing": handing.run,
    "own pictures": own_pictures.run,
    "gauge": gauge.run,
    "fit": fitting.run,
    "budget": budget.run,
    "starting": starting.run,
    "drop": drop.run,
    "interval": interval.run,
    "large": large.run,
    "encoding": encoding.run,
    "machines": machines.run,
    "screen": screen.run,
    "many": many.run,
    "together": together.run,
    "unasked": unasked.run,
}


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--only", default="")
    only = parser.parse_args().only.lower()
    rows = []
    chosen = {name: run for name, run in GROUPS.items() if only in name} or GROUPS
    for run in chosen.values():
        rows += [benchmark.row() for benchmark in run()]
    print(
        json.dumps(
            [
                row
                for row in rows
                if only in row["name"].lower() or any(only in name for name in chosen if chosen is not GROUPS)
            ],
            indent=1,
        )
    )


if __name__ == "__main__":
    main()
