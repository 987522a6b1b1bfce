"""The command line: the same verbs, with progress bars on a terminal and plain lines otherwise.

Exit codes: 0 done, 1 something lost, blocked or unaccounted, or proved in a stand-in light (survey: something
open), 2 input refused.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn
from rich.table import Table

from trasloco import move
from trasloco.accounts.model import Booking
from trasloco.accounts.telling import accounts_json, unanswered
from trasloco.batch_command import batch_command, watch_command
from trasloco.decisions.kinds import on_the_wire
from trasloco.decisions.reading import read_decisions
from trasloco.errors import Refused
from trasloco.formats.bundle import gather
from trasloco.handover.on_disk import put, unused
from trasloco.handover.packing_list import human_size
from trasloco.handover.report import shown_proof
from trasloco.own_process import in_a_child
from trasloco.progress import Progress as Report
from trasloco.proof.figure import Figure
from trasloco.proof.picturing import difference_png, picture_png
from trasloco.proof.proving import Proof
from trasloco.proof.staging import effects_of, exposure_of, views_for
from trasloco.render.picture import Quality
from trasloco.results.delivering import delivered, papers_of
from trasloco.results.in_memory import route_of
from trasloco.results.one_look import looked_at
from trasloco.results.route import Route
from trasloco.sheets.library import sheet_at
from trasloco.summary import finding_json, frame_json, plan_json, proof_json, remnant_json

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    help="Carries a scene from one program to another and measures what arrived.",
)
app.command("batch")(batch_command)
app.command("watch")(watch_command)
_out, _err = Console(), Console(stderr=True)
Sources = Annotated[list[Path], typer.Argument(metavar="SOURCE...", help="Files, folders or a zip.")]
From = Annotated[str, typer.Option("--from", help="Sheet of the source program, or the path of a TOML file.")]
To = Annotated[str, typer.Option("--to", help="Sheet of the destination, or the path of a TOML file.")]
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON document.")]


@contextmanager
def _watching(title: str) -> Iterator[Report]:
    """A progress bar on a terminal; otherwise a line at every quarter, on standard error."""
    if _err.is_terminal:
        with Progress(
            TextColumn("{task.description}"),
            BarColumn(),
            TextColumn("{task.percentage:>3.0f}%"),
            TimeRemainingColumn(),
            console=_err,
        ) as bars:
            task = bars.add_task(title, total=1.0)
            yield lambda fraction, message: bars.update(
                task, completed=fraction, description=f"{title}: {message}"
            )
            bars.update(task, completed=1.0)
        return
    last = [-1]

    def report(fraction: float, message: str) -> None:
        quarter = int(fraction * 4)
        if quarter != last[0]:
            last[0] = quarter
            print(f"{title} {fraction:.0%} {message}", file=sys.stderr)

    yield report


def _route(sources: list[Path], source: str, to: str, decisions: Path | None) -> Route:
    """The route of a delivery, its results held in memory."""
    files = gather(sources)
    made = read_decisions(decisions) if decisions else []
    return route_of(files, sheet_at(source, "source"), sheet_at(to, "destination"), made)


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
    route = _route(sources, source, to, decisions)
    with _watching("Survey") as report:
        findings = [finding for finding in route.findings(report) if finding.state == "open"]
    again = route.again() if route.decisions else []
    scene = route.received().scene
    if as_json:
        counts = {
            "parts": len(scene.parts()),
            "materials": len(scene.materials),
            "images": len(scene.images),
            "lights": len(scene.lights),
            "cameras": len(scene.cameras),
        }
        print(
            json.dumps(
                {
                    "scene": scene.name,
                    **counts,
                    "findings": [finding_json(f) for f in findings],
                    "again": [remnant_json(one) for one in again],
                },
                indent=1,
            )
        )
    else:
        _out.print(
            f"{scene.name}: {len(scene.parts())} parts, {len(scene.materials)} materials, {len(scene.images)} images, {len(scene.lights)} lights, {len(scene.cameras)} cameras",
            highlight=False,
        )
        for finding in findings:
            _out.print(
                f"\n[bold]{finding.title}[/bold]  {finding.where}\n  {finding.consequence}"
                + (f"\n  mend: {finding.mends[0].label}" if finding.mends else ""),
                highlight=False,
            )
        if not findings:
            _out.print("Nothing to mend.")
        for one in again:
            _out.print(
                f"\n[bold]{one.finding.title}[/bold]  {one.finding.where}\n  {'not there before mending' if one.why == 'made' else 'still there after its mend'}",
                highlight=False,
            )
    raise typer.Exit(1 if findings or again else 0)


@app.command("move")
def move_command(
    sources: Sources,
    source: From,
    to: To,
    out: Annotated[Path, typer.Option("--out", help="Folder for the package.")],
    decisions: Annotated[Path | None, typer.Option("--decisions", help="JSON list of decisions.")] = None,
    proof: Annotated[
        bool, typer.Option("--proof", help="Render reference against arrival and measure.")
    ] = False,
    meant: Annotated[
        bool,
        typer.Option("--meant", help="Deliver although something arrives otherwise than anything explains."),
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Carry a delivery to a destination and write the package."""
    route = _route(sources, source, to, decisions)
    made, reference = route.decisions, route.reference()
    with _watching("Fit") as report:
        route.plan(report)
    with _watching("Carry") as report:
        route.carried(report)
    if route.wish.wanted:
        with _watching("Light") as report:
            route.baked(report)
    carried, package, accounts = route.landed(), route.package(), route.accounts()
    still = unanswered(accounts, made)
    if still and not meant:
        for entry in still:
            print(
                f"unaccounted: {entry.title}: {entry.sent} → {entry.arrived} ({entry.reason})",
                file=sys.stderr,
            )
        print(
            f"{len(still)} unaccounted; nothing was written. Mend the cause, decide that they are meant, or give --meant.",
            file=sys.stderr,
        )
        raise typer.Exit(1)
    proved = _proved(route) if proof else None
    shown = shown_proof(proved) if proved is not None else None
    with _watching("Delivery") as report:
        delivery = delivered(route, shown, report, meant=meant)
    out = put(out, {**package.files, **papers_of(delivery)})
    counted = accounts.counted()
    if as_json:
        files = {path: len(data) for path, data in package.files.items()}
        document: dict[str, Any] = {
            "out": str(out),
            "files": files,
            "plan": plan_json(carried.plan, carried.scene),
            "accounts": accounts_json(accounts, made),
            "decisions": [on_the_wire(d) for d in made],
        }
        if proved is not None:
            document["proof"] = proof_json(proved, reference)
        print(json.dumps(document, indent=1))
    else:
        _tell(counted, len(package.files), package.size_bytes, out, proved)
    dark = proved is not None and proved.stand_in
    raise typer.Exit(1 if counted["lost"] or counted["blocked"] or counted["unaccounted"] or dark else 0)


@app.command("frames")
def frames_command(
    sources: Sources,
    source: From,
    to: To,
    clip: Annotated[str, typer.Option("--clip", help="Name of the motion.")],
    out: Annotated[Path, typer.Option("--out", help="Folder for the frames.")],
    decisions: Annotated[Path | None, typer.Option("--decisions", help="JSON list of decisions.")] = None,
    rate: Annotated[float, typer.Option("--rate", help="Frames a second.")] = 12.0,
    samples: Annotated[int, typer.Option("--samples", help="Paths a pixel.")] = 16,
    width: Annotated[int, typer.Option("--width", help="Pixels; the height follows at 16:9.")] = 320,
    as_json: AsJson = False,
) -> None:
    """A clip proved frame by frame: numbered PNG of reference, arrival and difference, and how far they lie
    apart over time.
    """
    route = _route(sources, source, to, decisions)
    made, reference = route.decisions, route.reference()
    id = next((one.id for one in reference.clips.values() if clip in (one.name, one.id)), None)
    if id is None:
        names = ", ".join(one.name for one in reference.clips.values())
        raise Refused(
            "There is no such motion in this delivery.",
            clip,
            f"Choose one of: {names}." if names else "Nothing in it moves.",
        )
    arrival = route.arrival()
    out = unused(out)
    out.mkdir(parents=True, exist_ok=True)
    rows: list[dict[str, Any]] = []
    with _watching("Frames") as report:
        view, quality = views_for(reference, made)[0], Quality(width, max(width * 9 // 16, 1), samples, 3)
        for frame in move.prove_clip(
            reference,
            arrival,
            id,
            view,
            rate,
            quality,
            exposure_of(made),
            effects_of(made, route.destination),
            report,
            stand_in=True,
        ):
            for side, data in (
                ("reference", picture_png(frame.reference, frame.ev100)),
                ("arrival", picture_png(frame.arrival, frame.ev100)),
                ("difference", difference_png(frame.comparison.delta_e)),
            ):
                (out / f"{side}-{frame.number:04d}.png").write_bytes(data)
            rows.append(frame_json(frame))
    if as_json:
        print(
            json.dumps(
                {"clip": reference.clips[id].name, "view": view.name, "rate": rate, "frames": rows}, indent=1
            )
        )
        return
    for row in rows:
        _out.print(
            f"{row['number']:>4}  {row['time_s']:7.3f} s  ΔE {row['subject']['value']:.2f} ({row['subject']['low']:.2f} to {row['subject']['high']:.2f})  worst {row['judged']:.2f}",
            highlight=False,
        )
    _out.print(
        f"{sum(row['seconds'] for row in rows) / len(rows):.2f} s a frame, {len(rows)} frames in {out}",
        highlight=False,
    )


def _proved(route: Route) -> Proof:
    with _watching("Proof") as report:
        return looked_at(route, Quality(), report)


def _tell(counted: Mapping[Booking, int], files: int, size: int, out: Path, proved: Proof | None) -> None:
    table = Table("arrived", "count", box=None)
    for mark, count in counted.items():
        table.add_row(mark, str(count))
    _out.print(table)
    _out.print(f"{files} files, {human_size(size)}, in {out}", highlight=False)
    if proved is None:
        return
    found = proved.worst.comparison
    _out.print(f"ΔE {found.judged:.1f}, {proved.verdict} (view {proved.worst.view.name})", highlight=False)
    _out.print(
        f"  subject {_between(found.subject)}, whole frame {_between(found.frame)}, noise taken off ({found.noise:.1f})",
        highlight=False,
    )
    if found.worst_material is not None:
        _out.print(
            f"  worst material: {found.worst_material.id.partition(':')[2]} {_between(found.worst_material.figure)}",
            highlight=False,
        )
    if proved.stand_in:
        _out.print("  Nothing lights this scene; both sides were seen in a stand-in light.", highlight=False)
    for one in proved.unseen:
        _out.print(f"  not shown: {one}", highlight=False)


def _between(figure: Figure) -> str:
    return f"{figure.value:.2f} ({figure.low:.2f} to {figure.high:.2f})"


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
