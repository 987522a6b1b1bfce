"""``trasloco``: the core's command line, and what a server's keeper needs: people, backups, serving."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from server.address import DEMO_HELP, HERE, HOST_HELP, PORT
from trasloco.cli import app
from trasloco.cli import main as run
from trasloco.errors import Refused

people = typer.Typer(no_args_is_help=True, help="People who may sign in.")
app.add_typer(people, name="user")
Folder = Annotated[Path | None, typer.Option("--data", help="The data folder; TRASLOCO_DATA where not said.")]


def _django() -> None:
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
    django.setup()


def _data(folder: Path | None) -> Path:
    if folder is not None:
        return folder
    from server.project import settings

    return Path(settings.DATA_DIR)


@people.command()
def add(
    name: str,
    admin: Annotated[bool, typer.Option(help="May see the admin page.")] = False,
) -> None:
    """Add a person; the password is asked for, or read from standard input.

    The first one takes the moves that were made before there were people.
    """
    _django()
    from django.contrib.auth.models import User
    from django.contrib.auth.password_validation import validate_password
    from django.core.exceptions import ValidationError
    from django.core.management import call_command

    from server.moves.models import Move

    call_command("migrate", verbosity=0)
    if User.objects.filter(username=name).exists():
        raise Refused("There is somebody of that name already.", name, "Choose another name.")
    if sys.stdin.isatty():
        password = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    else:
        password = sys.stdin.readline().rstrip("\n")
    person = User(username=name, is_staff=admin, is_superuser=admin)
    try:
        person.full_clean(exclude=["password"])
        validate_password(password, person)
    except ValidationError as error:
        raise Refused(" ".join(error.messages), name, "Choose another and try again.") from error
    person.set_password(password)
    first = not User.objects.exists()
    person.save()
    adopted = Move.objects.filter(owner=None).update(owner=person) if first else 0
    typer.echo(
        f"{name} may sign in."
        + (f" {adopted} moves that belonged to nobody are {name}'s now." if adopted else "")
    )


@people.command("list")
def listed() -> None:
    """Names of those who may sign in."""
    _django()
    from django.contrib.auth.models import User

    for person in User.objects.filter(is_active=True).order_by("username"):
        typer.echo(f"{person.username}{' (admin)' if person.is_staff else ''}")


@app.command()
def serve(
    port: Annotated[int, typer.Option(help="Where it answers.")] = PORT,
    host: Annotated[str, typer.Option(help=HOST_HELP)] = HERE,
    data: Folder = None,
    demo: Annotated[bool, typer.Option("--demo", help=DEMO_HELP)] = False,
) -> None:
    """Start the application, tell its address, and keep it running until it is stopped (Ctrl-C)."""
    if data is not None:
        os.environ["TRASLOCO_DATA"] = str(data.absolute())
    from server.run import serve

    raise typer.Exit(serve(host, port, demo))


@app.command()
def backup(file: Path, data: Folder = None) -> None:
    """Write everything that was delivered, decided, proved and handed over into one checked file."""
    from server import backup as keeping

    count, lost = keeping.backup(_data(data), file)
    typer.echo(f"{count} files, {file.stat().st_size >> 20} MB in {file}.")
    if lost:
        typer.echo(
            f"{lost} files that moves refer to were gone or damaged before, and are not in it.", err=True
        )


@app.command()
def restore(file: Path, data: Folder = None) -> None:
    """Bring a backup back; what is there now is moved aside."""
    from server import backup as keeping

    count = keeping.restore(file, _data(data))
    typer.echo(f"{count} files were brought back. What was there before is in before-restore-….")


def main() -> None:
    """Entry point."""
    run()


if __name__ == "__main__":
    main()
