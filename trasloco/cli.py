"""The command line: the same verbs, with progress bars on a terminal and plain lines otherwise.

Only words are here. What a command does is in :mod:`trasloco.commands`, and is loaded when it is run, so that
help comes at once.

Exit codes: 0 done, 1 something lost, blocked or unaccounted, or proved in a stand-in light (survey: something
open), 2 input refused.
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from trasloco.errors import Refused
from trasloco.own_child import in_a_child

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    help="Carries a scene from one program to another and measures what arrived.",
)
Sources = Annotated[list[Path], typer.Argument(metavar="SOURCE...", help="Files, folders or a zip.")]
Folder = Annotated[Path, typer.Argument(help="A folder with deliveries in it.")]
From = Annotated[str, typer.Option("--from", help="Sheet of the source program, or the path of a TOML file.")]
To = Annotated[str, typer.Option("--to", help="Sheet of the destination, or the path of a TOML file.")]
Tos = Annotated[list[str], typer.Option("--to", help="Sheet of a destination; may be given several times.")]
Outs = Annotated[Path, typer.Option("--out", help="Folder for the packages, one in another.")]
Recipe = Annotated[
    Path | None, typer.Option("--recipe", help="JSON list of decisions; what fits a delivery is carried out.")
]
Workers = Annotated[int, typer.Option("--workers", help="Processes; 0 for one a processor.")]
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON document.")]
Decisions = Annotated[Path | None, typer.Option("--decisions", help="JSON list of decisions.")]


@app.command()
def survey(
    sources: Sources,
    source: From = "plain",
    to: To = "lanterna",
    decisions: Annotated[
        Path | None,
        typer.Option("--decisions", help="JSON list of decisions; what they leave or make is told as well."),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """What is in a delivery, and what is wrong with it; with decisions, also what is wrong with what they
    mend.
    """
    from trasloco.commands.survey import survey

    raise typer.Exit(survey(sources, source, to, decisions, as_json))


@app.command()
def move(
    sources: Sources,
    source: From,
    to: To,
    out: Annotated[Path, typer.Option("--out", help="Folder for the package.")],
    decisions: Decisions = None,
    proof: Annotated[
        bool, typer.Option("--proof", help="Render reference against arrival and measure.")
    ] = False,
    within: Annotated[
        float | None,
        typer.Option("--within", help="Prove until the subject is known to so much ΔE."),
    ] = None,
    meant: Annotated[
        bool,
        typer.Option("--meant", help="Deliver although something arrives otherwise than anything explains."),
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Carry a delivery to a destination and write the package."""
    from trasloco.commands.move import moved

    raise typer.Exit(moved(sources, source, to, out, decisions, proof, within, meant, as_json))


@app.command()
def frames(
    sources: Sources,
    source: From,
    to: To,
    clip: Annotated[str, typer.Option("--clip", help="Name of the motion.")],
    out: Annotated[Path, typer.Option("--out", help="Folder for the frames.")],
    decisions: Decisions = None,
    rate: Annotated[float, typer.Option("--rate", help="Frames a second.")] = 12.0,
    samples: Annotated[int, typer.Option("--samples", help="Paths a pixel.")] = 16,
    width: Annotated[int, typer.Option("--width", help="Pixels; the height follows at 16:9.")] = 320,
    as_json: AsJson = False,
) -> None:
    """A clip proved frame by frame: numbered PNG of reference, arrival and difference, and how far they lie
    apart over time.
    """
    from trasloco.commands.frames import framed

    framed(sources, source, to, clip, out, decisions, rate, samples, width, as_json)


def _processes_for_many() -> None:
    """Let processes load what many deliveries need while this one does."""
    from trasloco.hands.processes import begin

    begin(("trasloco.batch",))


@app.command()
def batch(
    folder: Folder,
    source: From,
    to: Tos,
    out: Outs,
    recipe: Recipe = None,
    prove: Annotated[bool, typer.Option("--prove", help="Measure each arrival in a small picture.")] = False,
    workers: Workers = 0,
    as_json: AsJson = False,
) -> None:
    """Carry every delivery of a folder to one destination or several. What was done before, and has not
    changed since, is not done again; nothing is written over. The exit code is that of the worst: 0 done, 1
    something lost, blocked or unaccounted, or proved in a stand-in light, 2 something refused.
    """
    _processes_for_many()
    from trasloco.commands.many import Many, batch

    raise typer.Exit(batch(Many(folder, source, to, out, recipe, prove, workers), as_json))


@app.command()
def watch(
    folder: Folder,
    source: From,
    to: Tos,
    out: Outs,
    recipe: Recipe = None,
    prove: Annotated[
        bool, typer.Option("--prove/--no-prove", help="Measure each arrival in a small picture.")
    ] = True,
    every: Annotated[float, typer.Option("--every", min=0.05, help="Seconds between two looks.")] = 1.0,
    workers: Workers = 0,
) -> None:
    """Deliver and prove again whenever a file of a source changes, until it is stopped (Ctrl-C). A delivery
    that did not change is not done again; nothing is written over: what is new goes to a numbered folder. A
    recipe is read again each time.
    """
    _processes_for_many()
    from trasloco.commands.many import Many, watch

    watch(Many(folder, source, to, out, recipe, prove, workers), every)


@app.command()
def worker(
    address: Annotated[str, typer.Argument(help="Of the scheduler, tcp://… or tls://….")],
    threads: Annotated[int, typer.Option("--threads", help="Pieces at a time; 0 for one a processor.")] = 0,
) -> None:
    """Do pieces of work for other machines: tiles of pictures, texels of lightmaps, charts, images, moves of
    a batch. They ask for it with TRASLOCO_CLUSTER. It ends with its scheduler.
    """
    from trasloco.commands.worker import work_for

    work_for(address, threads)


def main() -> None:
    """Entry point: refusals go to standard error with code 2.

    The work is done in a child, so that the end of a reader is a refusal too.
    """
    try:
        in_a_child(app)
    except Refused as refusal:
        print(f"{refusal.where}: {refusal.what} {refusal.remedy}", file=sys.stderr)
        sys.exit(2)
    except MemoryError:
        print("delivery: It needs more memory than there is. Send less at once.", file=sys.stderr)
        sys.exit(2)
